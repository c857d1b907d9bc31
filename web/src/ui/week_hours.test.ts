import { describe, expect, it } from "vitest";

import { readWeek, spansOf, textOf, writeWeek } from "./week_hours";

describe("the hours of a week", () => {
  it("are read as the server writes them, and written a day a line", () => {
    const week = readWeek("Mon-Fri 09:00-12:00\nMon-Wed,Fri 13:00-17:30\nSat 20:00-24:00");
    expect(week?.Mon).toEqual([
      { from: "09:00", to: "12:00" },
      { from: "13:00", to: "17:30" },
    ]);
    expect(week?.Thu).toEqual([{ from: "09:00", to: "12:00" }]);
    expect(week?.Sun).toEqual([]);
    expect(week && writeWeek(week).split("\n").slice(-2)).toEqual(["Fri 13:00-17:30", "Sat 20:00-24:00"]);
  });

  it("end at midnight where the clock says so", () => {
    const week = readWeek("Sun 20:00-23:00");
    expect(week && writeWeek({ ...week, Sun: [{ from: "20:00", to: "00:00" }] })).toBe("Sun 20:00-24:00");
  });

  it("are not guessed at", () => {
    for (const text of ["never", "Fri-Mon 09:00-17:00", "Mon 9-17", "Someday 09:00-17:00"]) {
      expect(readWeek(text)).toBeUndefined();
    }
    expect(readWeek("")?.Mon).toEqual([]);
  });

  it("are spans with days from Sunday, as routes have them, and come back as they were", () => {
    const text = "Mon 09:00-12:00\nMon 13:00-17:00\nTue 09:00-12:00\nSun 20:00-24:00";
    const spans = spansOf(text);
    expect(spans).toEqual([
      { days: [1, 2], from: "09:00", to: "12:00" },
      { days: [1], from: "13:00", to: "17:00" },
      { days: [0], from: "20:00", to: "24:00" },
    ]);
    expect(textOf(spansOf("Mon-Fri 09:00-17:00"))).toBe(
      "Mon 09:00-17:00\nTue 09:00-17:00\nWed 09:00-17:00\nThu 09:00-17:00\nFri 09:00-17:00",
    );
    expect(spansOf("")).toEqual([]);
  });
});
