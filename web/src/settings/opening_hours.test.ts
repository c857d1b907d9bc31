import { expect, test } from "vitest";

import { readHours, writeHours } from "./opening_hours";

test("hours are read and written as an admin writes them", () => {
  for (const [text, days, back] of [
    ["Mon-Fri 09:00-17:00", [1, 2, 3, 4, 5], "Mon-Fri 09:00-17:00"],
    ["sat 9:00 - 12:30", [6], "Sat 09:00-12:30"],
    ["Mon, Wed-Thu 13:00–24:00", [1, 3, 4], "Mon, Wed-Thu 13:00-24:00"],
    ["Saturday-Sunday 00:00-06:00", [6, 0], "Sat-Sun 00:00-06:00"],
  ] as const) {
    const { spans, bad } = readHours(text);
    expect(bad).toBeUndefined();
    expect(spans[0]?.days).toEqual(days);
    expect(writeHours(spans)).toBe(back);
  }
  expect(readHours("\n  \n").spans).toEqual([]);
});

test("a line that is no opening time is told", () => {
  for (const text of ["Mon-Fri", "09:00-17:00", "Funday 09:00-17:00", "Fri-Mon 09:00-17:00", "Mon 9-17"]) {
    expect(readHours(`Mon 09:00-10:00\n${text}`).bad).toBe(text);
  }
});
