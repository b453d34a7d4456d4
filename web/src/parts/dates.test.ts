import { describe, expect, test } from "vitest";
import { daysAfter, readDay, readMoment, writeDay, writeMoment } from "./dates";

const today = "2026-11-27"; // a Friday

describe("a day is read in any usual form", () => {
  test.each([
    ["2026-12-24", "2026-12-24"],
    ["24.12.2026", "2026-12-24"],
    ["24.12.", "2026-12-24"],
    ["24/12/26", "2026-12-24"],
    ["24-12-2026", "2026-12-24"],
    ["24 12", "2026-12-24"],
    ["24122026", "2026-12-24"],
    ["3/4/2026", "2026-04-03"],
    ["24 Dec 2026", "2026-12-24"],
    ["24 December", "2026-12-24"],
    ["24th dec", "2026-12-24"],
    ["Dec 24, 2026", "2026-12-24"],
    [" today ", "2026-11-27"],
    ["Tomorrow", "2026-11-28"],
    ["+7", "2026-12-04"],
    ["+40 days", "2027-01-06"],
    ["mon", "2026-11-30"],
    ["Friday", "2026-12-04"],
    ["29 Feb 2028", "2028-02-29"],
    ["end of month", "2026-11-30"],
    ["End of the year", "2026-12-31"],
  ])("%s", (typed, day) => expect(readDay(typed, today)).toBe(day));

  test.each(["", "soon", "31.2.2026", "29 Feb 2026", "24.13.2026", "2026-1", "12 foo 2026", "0/1/2026", "24.12.1"])(
    "%s is none",
    (typed) => expect(readDay(typed, today)).toBeUndefined(),
  );

  test("what is written is read back, on every day of years with and without a leap day", () => {
    for (let day = "2027-01-01"; day < "2029-01-01"; day = daysAfter(day, 1)) {
      expect(readDay(writeDay(day), today)).toBe(day);
      expect(readMoment(writeMoment(`${day}T05:45`), today)).toBe(`${day}T05:45`);
    }
  });
});

describe("a moment has a time", () => {
  test.each([
    ["24 Dec 2026 06:00", "2026-12-24T06:00"],
    ["24 Dec 2026, 6:00", "2026-12-24T06:00"],
    ["2026-12-24T18:30", "2026-12-24T18:30"],
    ["24.12. 18.30", "2026-12-24T18:30"],
    ["tomorrow 7h15", "2026-11-28T07:15"],
    ["22:00", "2026-11-27T22:00"],
    ["6 pm", "2026-11-27T18:00"],
    ["6pm", "2026-11-27T18:00"],
    ["12 am", "2026-11-27T00:00"],
    ["12 p.m.", "2026-11-27T12:00"],
    ["tomorrow 18:00", "2026-11-28T18:00"],
    ["tomorrow at 6:30 pm", "2026-11-28T18:30"],
    ["24.12. 18h", "2026-12-24T18:00"],
    ["fri noon", "2026-12-04T12:00"],
  ])("%s", (typed, at) => expect(readMoment(typed, today)).toBe(at));

  test.each(["24 Dec 2026", "24 Dec 25:00", "6:61", "then 06:00", "13 pm", "0 am", "18", "2026-12-24"])(
    "%s has none",
    (typed) => expect(readMoment(typed, today)).toBeUndefined(),
  );
});
