import { expect, it } from "vitest";
import type { Sheet } from "../../model/template";
import { madeOf } from "./madeof";

const list = <T extends { id: string }>(...all: T[]) => ({
  order: all.map((x) => x.id),
  byId: new Map(all.map((x) => [x.id, x])),
});

const sheet = {
  sections: list({ id: "w", name: "Winds" }, { id: "f", name: "Flutes", parent: "w" }, { id: "b", name: "Brass" }),
  instruments: list(
    { id: "piccolo", section: "f", kind: "sampled" },
    { id: "horn", section: "b", kind: "sampled" },
    { id: "flute", section: "f", kind: "sampled" },
    { id: "spare", section: "f", kind: "spare" },
  ),
  facts: new Map([
    ["piccolo", { readyMib: 600 }],
    ["flute", { readyMib: 400 }],
    ["horn", { readyMib: 900 }],
  ]),
} as unknown as Sheet;

it("adds up by the outermost sections, in score order", () => {
  expect(madeOf(sheet, ["horn", "flute", "piccolo", "spare", "gone"])).toEqual([
    { section: "w", name: "Winds", rows: ["piccolo", "flute"], mib: 1000 },
    { section: "b", name: "Brass", rows: ["horn"], mib: 900 },
  ]);
  expect(madeOf(sheet, [])).toEqual([]);
});
