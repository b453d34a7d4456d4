import { describe, expect, it } from "vitest";
import { type Searched, searches, validated } from "./search";

describe("what stands in the address of a list", () => {
  it("is read as it is meant", () => {
    expect(
      validated("/staff")({ q: 241, status: "locked", sort: "-name,start_date", columns: "name,employer" }),
    ).toEqual({
      q: "241",
      status: "locked",
      sort: "-name,start_date",
      columns: "name,employer",
    });
    expect(validated("/badges")({ day: true, left: true, sort: "-until" })).toEqual({
      day: "true",
      left: true,
      sort: "-until",
    });
  });

  it("is left out where it is no value of its kind", () => {
    expect(
      validated("/staff")({ q: "", status: "gone", sort: "pin", columns: "name,secret", site: ["HB"], made: "up" }),
    ).toEqual({});
    expect(validated("/expiring")({ days: -3, kind: "all", q: "x".repeat(201) })).toEqual({});
    expect(validated("/expiring")({ days: 30.5 })).toEqual({});
  });

  it("never stops a list from being shown", () => {
    for (const path of Object.keys(searches) as Searched[])
      for (const nonsense of [null, {}, [], Number.NaN, "'; --", { a: { b: 1 } }])
        expect(() =>
          validated(path)(Object.fromEntries(Object.keys(searches[path].entries).map((k) => [k, nonsense]))),
        ).not.toThrow();
  });
});
