import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { gather, type Pen } from "./gathered";

beforeEach(() => {
  vi.stubGlobal(
    "OffscreenCanvas",
    class {
      getContext = () => ({ canvas: this, drawImage: () => {} });
    },
  );
});
afterEach(() => vi.unstubAllGlobals());

const fresh = () => new OffscreenCanvas(1, 1).getContext("2d") as Pen;
const many = (from: number, count: number) => Array.from({ length: count }, (_, n) => from + n);

/** drawing notes which ribbons were drawn, in order, and how often time was asked for. */
function drawing(into: [number, number[]][], slices: number) {
  const drawn: number[] = [];
  let left = slices;
  const g = gather(new Map(into), fresh, (_, n) => drawn.push(n));
  return { drawn, g, hasTime: () => left-- > 0, moreTime: (n: number) => (left = n) };
}

describe("gathered ribbons", () => {
  it("are drawn ahead only while there is time, and go on where they stopped", () => {
    const d = drawing([[7, many(0, 100)]], 2);
    expect(d.g.drawAhead(d.hasTime)).toBe(false);
    expect(d.drawn.length).toBeGreaterThan(0);
    expect(d.drawn.length).toBeLessThan(100);
    d.moreTime(1000);
    expect(d.g.drawAhead(d.hasTime)).toBe(true);
    expect(d.drawn).toEqual(many(0, 100));
  });
  it("are completed at once when asked for, each drawn once", () => {
    const d = drawing(
      [
        [7, many(0, 100)],
        [8, many(100, 70)],
      ],
      1,
    );
    d.g.drawAhead(d.hasTime);
    const sheet = d.g.sheet(7);
    expect(d.drawn).toEqual(many(0, 100));
    expect(d.g.sheet(7)).toBe(sheet);
    expect(d.drawn).toHaveLength(100);
    d.moreTime(1000);
    expect(d.g.drawAhead(d.hasTime)).toBe(true);
    expect(d.drawn).toEqual(many(0, 170));
  });
  it("leave a place without ribbons blank", () => {
    const d = drawing([], 0);
    expect(d.g.sheet(3)).toBeDefined();
    expect(d.drawn).toEqual([]);
    expect(d.g.drawAhead(d.hasTime)).toBe(true);
  });
});
