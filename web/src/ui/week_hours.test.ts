import { describe, expect, it } from "vitest";

import { readWeek, writeWeek } from "./week_hours";

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
});
