import { describe, expect, it } from "vitest";
import { type Listed, listed } from "./templates";

const template = (name: string, more: Partial<Listed> = {}): Listed => ({
  id: name,
  name,
  revision: 1,
  about: "",
  rows: 10,
  locked: false,
  changedAt: "2026-03-01T10:00:00Z",
  changedBy: "Ada",
  ...more,
});

describe("the list of templates", () => {
  const all = [
    template("Pier 10", { rows: 40 }),
    template("Pier 2", { changedAt: "2026-03-09T10:00:00Z", about: "Small, for sketches" }),
    template("Lantern", { rows: 419, changedBy: "Nell" }),
    template("Old", { endsAt: "2026-04-01T00:00:00Z" }),
  ];
  const names = (list: Listed[]) => list.map((t) => t.name);

  it("is sorted as people expect", () => {
    expect(names(listed(all, "changed", "").there)[0]).toBe("Pier 2");
    expect(names(listed(all, "name", "").there)).toEqual(["Lantern", "Pier 2", "Pier 10"]);
    expect(names(listed(all, "rows", "").there)).toEqual(["Lantern", "Pier 10", "Pier 2"]);
  });

  it("keeps what was deleted apart", () => {
    expect(names(listed(all, "name", "").deleted)).toEqual(["Old"]);
  });

  it("finds by name, purpose and person", () => {
    expect(names(listed(all, "name", "SKETCH").there)).toEqual(["Pier 2"]);
    expect(names(listed(all, "name", "nell").there)).toEqual(["Lantern"]);
    expect(names(listed(all, "name", "pier 10").there)).toEqual(["Pier 10"]);
    expect(names(listed(all, "name", "old").deleted)).toEqual(["Old"]);
    expect(listed(all, "name", "harbour")).toEqual({ there: [], deleted: [] });
  });
});
