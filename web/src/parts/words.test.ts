import { expect, test } from "vitest";
import { instant, isElsewhere, moment, ownZone, zoneName } from "./words";

test("a moment of what is elsewhere is told in the time there, with its name", () => {
  const elsewhere = ownZone === "Asia/Tokyo" ? "Pacific/Auckland" : "Asia/Tokyo";
  const at = "2031-07-01T10:00:00Z";
  expect(moment(at, elsewhere)).toContain(zoneName(elsewhere));
  expect(moment(at, "Asia/Tokyo")).toMatch(/1 Jul[a-z]* 2031/);
  if (elsewhere === "Asia/Tokyo") expect(moment(at, elsewhere)).toContain("19:00:00 Tokyo time");
  expect(moment(at, ownZone)).not.toContain("time");
  expect(moment(at)).toBe(moment(at, ownZone));
  expect(zoneName("America/New_York")).toBe("New York time");
});

test("zones that show the same are not told apart", () => {
  expect(isElsewhere(undefined)).toBe(false);
  expect(isElsewhere(ownZone)).toBe(false);
  const winter = new Date("2031-01-01T12:00:00Z");
  // Of these two exactly one is as the reader's own, or neither
  expect(isElsewhere("Asia/Tokyo", winter) || isElsewhere("America/New_York", winter)).toBe(true);
});

test("what is typed of a place is the moment there, also where a clock change lies between", () => {
  expect(instant("2031-07-01T18:00", "Europe/Dublin")).toBe("2031-07-01T17:00:00.000Z");
  expect(instant("2031-12-01T18:00", "Europe/Dublin")).toBe("2031-12-01T18:00:00.000Z");
  expect(instant("2031-12-01T18:00", "Asia/Tokyo")).toBe("2031-12-01T09:00:00.000Z");
});
