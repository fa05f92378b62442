import { describe, expect, it } from "vitest";
import { along, isBus, outline, type Picture, placeOf, ribbonAt, through, xOf } from "./picture";

const place = (id: string, kind: string, column: number, holds?: number) => ({
  id,
  name: id,
  kind,
  tint: "moss",
  column,
  y: 0,
  h: 10,
  count: 1,
  ...(holds ? { holds } : {}),
});
const ribbon = (from: number, to: number) => ({
  from,
  to,
  count: 1,
  lowDb: 0,
  highDb: 0,
  tap: "post",
  y1: 0,
  y2: 0,
  h: 4,
});

const picture = {
  places: [
    place("winds", "section", 0, 6),
    place("strings", "section", 0, 2),
    place("winds group", "group", 1),
    place("strings group", "group", 1),
    place("hall", "return", 1),
    place("high", "stem", 2),
    place("low", "stem", 2),
    place("mix", "mix", 3),
  ],
  ribbons: [
    ribbon(0, 2),
    ribbon(1, 3),
    ribbon(1, 4),
    ribbon(2, 5),
    ribbon(3, 6),
    ribbon(4, 6),
    ribbon(5, 7),
    ribbon(6, 7),
  ],
} as unknown as Picture;

describe("the routing picture", () => {
  const names = (start: string) =>
    [...through(picture, placeOf(picture, start))].map((n) => picture.places[n]!.id).sort();

  it("follows one place to everything it comes from and goes to", () => {
    expect(names("strings group")).toEqual(["low", "mix", "strings", "strings group"]);
    expect(names("hall")).toEqual(["hall", "low", "mix", "strings"]);
    expect(names("mix")).toHaveLength(picture.places.length);
  });

  it("follows one ribbon, and not the others of its places", () => {
    const names = [...along(picture, picture.ribbons[2]!)].map((n) => picture.places[n]!.id).sort();
    expect(names).toEqual(["hall", "low", "mix", "strings"]);
  });

  it("finds the ribbon under a point, along its curve", () => {
    const two = {
      places: [place("a", "section", 0), place("b", "group", 1)],
      ribbons: [
        { ...ribbon(0, 1), y1: 0, y2: 100, h: 10 },
        { ...ribbon(0, 1), y1: 20, y2: 20, h: 10 },
      ],
    } as unknown as Picture;
    const x = [0, 104];
    expect(ribbonAt(two, x, 5, 4)).toBe(0); // where it leaves
    expect(ribbonAt(two, x, 54, 55)).toBe(0); // half way, at half the height
    expect(ribbonAt(two, x, 103, 104)).toBe(0); // where it arrives
    expect(ribbonAt(two, x, 54, 25)).toBe(1);
    expect(ribbonAt(two, x, 54, 80)).toBe(-1);
    expect(ribbonAt(two, x, 120, 25)).toBe(-1);
  });

  it("spreads the columns within the width, from left to right", () => {
    for (const width of [420, 1100]) {
      const x = xOf(width, 5);
      expect(x).toEqual([...x].sort((a, b) => a - b));
      expect(x.at(-1)).toBeLessThanOrEqual(width - 24); // its name beside it
    }
  });

  it("draws a closed outline", () => {
    expect(outline(0, 100, { y1: 2, y2: 30, h: 4 })).toMatch(/^M0 2C50 2 50 30 100 30V34C50 34 50 6 0 6Z$/);
  });

  it("tells a bus from what is gathered", () => {
    expect(picture.places.filter(isBus).map((p) => p.id)).toEqual([
      "winds group",
      "strings group",
      "hall",
      "high",
      "low",
      "mix",
    ]);
  });
});
