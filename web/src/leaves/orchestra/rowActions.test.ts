import { expect, it } from "vitest";
import { doings } from "../../parts/Actions";
import { rowActions } from "./rowActions";
import { takeOut } from "./TakeOutMenu";

it("shows nine entries at most, and as many one step deeper", () => {
  for (const list of [rowActions(), takeOut]) {
    expect(list.length).toBeLessThanOrEqual(9);
    for (const a of list) if ("more" in a) expect(a.more.length).toBeLessThanOrEqual(9);
  }
});

it("names each thing once, so that the finder can tell them apart", () => {
  const texts = [...doings(rowActions()), ...doings(takeOut)].map((d) => d.text);
  expect(new Set(texts).size).toBe(texts.length);
  expect(texts).toContain("Set: stem…");
});
