import { describe, expect, it } from "vitest";
import type { Bus } from "../../model/api";
import { list, type Sheet } from "../../model/template";
import { parentOf, tree } from "./tree";

const stem = (id: string, fold: string, to: string, section = ""): Bus => ({
  id,
  kind: "stem",
  name: id,
  fold,
  section,
  gainDb: 0,
  routes: [{ to, gainDb: 0, tap: "post" }],
});

const sheet = {
  folds: list([
    { id: "fine", name: "fine" },
    { id: "sections", name: "sections" },
  ]),
  sections: list([
    { id: "winds", name: "Winds" },
    { id: "strings", name: "Strings" },
  ]),
  buses: list([
    { id: "mix", kind: "mix", name: "Mix", gainDb: 0, routes: [] } as Bus,
    stem("Strings", "sections", "mix", "strings"),
    stem("Winds", "sections", "mix", "winds"),
    stem("low strings", "fine", "Strings", "strings"),
    stem("high strings", "fine", "Strings", "strings"),
    stem("flutes", "fine", "Winds", "winds"),
    stem("guest", "fine", "mix"),
  ]),
  instruments: list([
    { id: "a", kind: "sampled" },
    { id: "b", kind: "sampled" },
    { id: "c", kind: "sampled" },
    { id: "d", kind: "spare" },
  ]),
  facts: new Map([
    ["d", { id: "d", stems: ["flutes"], readyMib: 0 }], // counts for nothing
    ["a", { id: "a", stems: ["flutes"], readyMib: 0 }],
    ["b", { id: "b", stems: ["low strings"], readyMib: 0 }],
    ["c", { id: "c", stems: ["high strings"], readyMib: 0 }],
  ]),
} as unknown as Sheet;

describe("the folding tree", () => {
  const cell = (t: ReturnType<typeof tree>, id: string) => t.cells.find((c) => c.stem.id === id)!;

  it("makes a stem as high as what belongs to it, in score order", () => {
    const t = tree(sheet, new Set());
    expect(t.rows).toBe(4);
    expect(cell(t, "Winds")).toMatchObject({ column: 1, row: 0, span: 1, count: 1 });
    expect(cell(t, "Strings")).toMatchObject({ column: 1, row: 1, span: 2, inside: 2, count: 2 });
    expect(cell(t, "high strings").row).toBe(2);
    expect(cell(t, "guest")).toMatchObject({ column: 0, row: 3, span: 1 });
  });

  it("folds", () => {
    const t = tree(sheet, new Set(["Strings"]));
    expect(t.rows).toBe(3);
    expect(cell(t, "Strings")).toMatchObject({ span: 1, count: 2 });
    expect(t.cells.some((c) => c.stem.id === "low strings")).toBe(false);
  });

  it("knows what belongs to what", () => {
    expect(parentOf(sheet, sheet.buses.byId.get("flutes")!)?.id).toBe("Winds");
    expect(parentOf(sheet, sheet.buses.byId.get("guest")!)).toBeUndefined();
  });
});
