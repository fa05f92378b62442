import { describe, expect, it } from "vitest";
import type { Schemas } from "../../model/api";
import { list, type Sheet } from "../../model/template";
import { draw, ribbonPath, through } from "./layout";

const bus = (id: string, kind: Schemas["Bus"]["kind"], fold?: string): Schemas["Bus"] => ({
  id,
  name: id,
  kind,
  gainDb: 0,
  routes: [],
  ...(fold ? { fold } : {}),
});

const sheet = {
  folds: list([{ id: "fine", name: "fine" }]),
  sections: list([
    { id: "winds", name: "Winds", tint: "moss" },
    { id: "strings", name: "Strings", tint: "petrol" },
  ]),
  buses: list([
    bus("mix", "mix"),
    bus("hall", "return"),
    bus("low", "stem", "fine"),
    bus("high", "stem", "fine"),
    bus("strings group", "group"),
    bus("winds group", "group"),
  ]),
} as unknown as Sheet;

const ribbon = (from: string, to: string, count: number, send = false) =>
  ({ from, to, count, send, lowDb: 0, highDb: 0, tap: "post" }) as Schemas["Ribbon"];

const routing = {
  sections: [
    { id: "winds", count: 6 },
    { id: "strings", count: 2 },
  ],
  buses: [
    { id: "mix", count: 8 },
    { id: "hall", count: 2 },
    { id: "low", count: 2 },
    { id: "high", count: 6 },
    { id: "strings group", count: 2 },
    { id: "winds group", count: 6 },
  ],
  ribbons: [
    ribbon("winds", "winds group", 6),
    ribbon("strings", "strings group", 2),
    ribbon("strings", "hall", 2, true),
    ribbon("winds group", "high", 6),
    ribbon("strings group", "low", 2),
    ribbon("hall", "low", 2),
    ribbon("high", "mix", 6),
    ribbon("low", "mix", 2),
  ],
  sums: [],
} as unknown as Schemas["Routing"];

describe("the routing picture", () => {
  const drawing = draw(sheet, routing, 400);
  const node = (id: string) => drawing.nodes.find((n) => n.id === id)!;

  it("stands buses in columns where sound meets them", () => {
    expect(drawing.nodes.map((n) => [n.id, n.column])).toEqual(
      expect.arrayContaining([
        ["winds", 0],
        ["winds group", 1],
        ["hall", 1],
        ["high", 2],
        ["mix", 3],
      ]),
    );
    expect(drawing.columns).toBe(4);
  });

  it("orders each column so that ribbons do not cross, returns last", () => {
    const column = (k: number) =>
      drawing.nodes
        .filter((n) => n.column === k)
        .sort((a, b) => a.y - b.y)
        .map((n) => n.id);
    expect(column(1)).toEqual(["winds group", "strings group", "hall"]);
    expect(column(2)).toEqual(["high", "low"]);
  });

  it("gives every node room, none over another, all within the height", () => {
    for (let k = 0; k < drawing.columns; k++) {
      const column = drawing.nodes.filter((n) => n.column === k).sort((a, b) => a.y - b.y);
      column.forEach((n, i) => {
        expect(n.h).toBeGreaterThanOrEqual(10);
        expect(n.y + n.h).toBeLessThanOrEqual(drawing.height);
        if (i > 0) expect(n.y).toBeGreaterThanOrEqual(column[i - 1]!.y + column[i - 1]!.h);
      });
    }
  });

  it("shares a node's height among its ribbons by the number of instruments", () => {
    const into = drawing.flows.filter((f) => f.to.id === "mix");
    expect(into.map((f) => f.ribbon.count).sort()).toEqual([2, 6]);
    for (const f of drawing.flows) {
      expect(f.y1).toBeGreaterThanOrEqual(f.from.y - 1e-6);
      expect(f.y2 + f.h).toBeLessThanOrEqual(f.to.y + f.to.h + 1e-6);
    }
  });

  it("grows beyond the room when there are many buses", () => {
    const many = Array.from({ length: 200 }, (_, n) => bus(`stem ${n}`, "stem", "fine"));
    const tall = draw({ ...sheet, buses: list(many) } as Sheet, { ...routing, ribbons: [] }, 400);
    expect(tall.height).toBeGreaterThan(2000);
  });

  it("follows one node to everything it comes from and goes to", () => {
    expect([...through(drawing, "strings group")].sort()).toEqual(["low", "mix", "strings", "strings group"]);
    expect([...through(drawing, "hall")].sort()).toEqual(["hall", "low", "mix", "strings"]);
    expect(through(drawing, "mix").size).toBe(drawing.nodes.length);
  });

  it("leaves out sections and buses that are gone", () => {
    const odd = draw(
      sheet,
      { ...routing, sections: [{ id: "gone", count: 3 }], ribbons: [ribbon("gone", "mix", 3)] },
      300,
    );
    expect(odd.nodes.some((n) => n.id === "gone")).toBe(false);
    expect(odd.flows).toEqual([]);
  });

  it("draws a closed outline", () => {
    expect(ribbonPath(0, 100, drawing.flows[0]!)).toMatch(/^M0 .*C50 .*V.*C50 .*Z$/);
    expect(node("winds").tint).toBe("moss");
  });
});
