import { describe, expect, it } from "vitest";
import { readyOf } from "./ready";
import { lines } from "./score";

const states = (...list: [string, "ready" | "tuning"][]) =>
  new Map(list.map(([id, state]) => [id, { id, state }] as const));

describe("ready only", () => {
  it("stays the same set while nobody gets ready or rests", () => {
    const first = readyOf(states(["a", "ready"], ["b", "tuning"]), new Set());
    expect([...first]).toEqual(["a"]);
    expect(readyOf(states(["b", "tuning"], ["a", "ready"]), first)).toBe(first);
    expect([...readyOf(states(["a", "ready"], ["b", "ready"]), first)]).toEqual(["a", "b"]);
    expect([...readyOf(states(["b", "ready"]), first)]).toEqual(["b"]);
  });
  it("leaves out rows that are not, and sections without any", () => {
    const section = (id: string, parent?: string) => ({ id, name: id, ...(parent ? { parent } : {}) }) as never;
    const row = (id: string, section: string) => ({ id, section }) as never;
    const list = (...all: { id: string }[]) => ({
      order: all.map((x) => x.id),
      byId: new Map(all.map((x) => [x.id, x])) as never,
    });
    const sheet = {
      sections: list(section("winds"), section("flutes", "winds"), section("brass")),
      instruments: list(row("a", "flutes"), row("b", "flutes"), row("c", "brass")),
    };
    const told = (only: ReadonlySet<string> | null) =>
      lines(sheet, new Set(), only).map((l) => (l.kind === "row" ? l.id : `${l.section.id} ${l.count}`));
    expect(told(null)).toEqual(["winds 2", "flutes 2", "a", "b", "brass 1", "c"]);
    expect(told(new Set(["b"]))).toEqual(["winds 1", "flutes 1", "b"]);
    expect(told(new Set())).toEqual([]);
  });
});
