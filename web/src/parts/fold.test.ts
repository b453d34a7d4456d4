import { expect, test } from "vitest";
import { fits, fold } from "./fold";

test("case, marks and apostrophes do not matter", () => {
  expect(fold("Ó Connor")).toBe("o connor");
  expect(fold("O’Neill's")).toBe("oneills");
  expect(fold("ŽOFIA")).toBe("zofia");
});

test("every word that was typed has to be somewhere", () => {
  const door = fold("Cold room 1 HB-COLD-1");
  expect(fits(door, "cold 1")).toBe(true);
  expect(fits(door, "hb-cold room")).toBe(true);
  expect(fits(door, "COLD")).toBe(true);
  expect(fits(door, "cold 2")).toBe(false);
});
