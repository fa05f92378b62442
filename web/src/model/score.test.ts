import { describe, expect, it } from "vitest";
import { between, lines, within } from "./score";
import { follow, list } from "./template";

const sections = list([
  { id: "w", name: "Winds" },
  { id: "f", name: "Flutes", parent: "w" },
  { id: "b", name: "Brass" },
]);
const row = (id: string, section: string) => ({ id, section }) as never;
const instruments = list<never>([row("1", "f"), row("2", "b"), row("3", "f"), row("4", "w")]);
const sheet = { sections, instruments };

describe("lines", () => {
  it("lays sections out depth first, each with its own rows", () => {
    const text = lines(sheet, new Set()).map((l) =>
      l.kind === "row" ? l.id : `${l.section.name} ${l.count} to ${l.end}`,
    );
    expect(text).toEqual(["Winds 3 to 4", "4", "Flutes 2 to 4", "1", "3", "Brass 1 to 6", "2"]);
  });
  it("shows a folded section as one line", () => {
    expect(lines(sheet, new Set(["w"])).length).toBe(3);
  });
});

describe("selecting", () => {
  it("takes all of a section with what lies below it", () => {
    expect(within(sheet, "w")).toEqual(["1", "3", "4"]);
  });
  it("takes a range as it stands in the sheet, either way", () => {
    const all = lines(sheet, new Set());
    expect(between(all, "4", "3")).toEqual(["4", "1", "3"]);
    expect(between(all, "3", "4")).toEqual(["4", "1", "3"]);
  });
});

describe("follow", () => {
  it("puts, moves and drops what a delta says", () => {
    const before = list([{ id: "a" }, { id: "b" }, { id: "c" }]);
    const next = follow(before, { put: [{ id: "d" }], splice: { at: 1, remove: 2, ids: ["d", "c"] } });
    expect(next.order).toEqual(["a", "d", "c"]);
    expect(next.byId.has("b")).toBe(false);
    expect(next.byId.has("c")).toBe(true);
  });
});
