import { describe, expect, it } from "vitest";
import { type Effect, type EffectKind, said, standsAt, withValue } from "./effects";
import { barAt } from "./performing";
import { panText, readPan } from "./template";

const decay = { name: "decayS", words: "decay", unit: "s", low: 0.1, high: 15, usual: 2, choice: false };
const hall: EffectKind = { kind: "hall", words: "hall", onMix: false, audio: false, parameters: [decay] };

describe("an effect", () => {
  it("says only what is not as usual, within its range", () => {
    let e: Effect = { kind: "hall" };
    expect(standsAt(e, decay)).toBe(2);
    e = withValue(e, decay, 2.8);
    expect(e).toEqual({ kind: "hall", set: { decayS: 2.8 } });
    expect(said(e, hall)).toBe("hall 2.8 s");
    expect(withValue(e, decay, 99).set).toEqual({ decayS: 15 });
    expect(withValue(e, decay, 2)).toEqual({ kind: "hall" });
  });
});

describe("a pan", () => {
  it("is read as it is written", () => {
    for (const [pan, text] of [
      [0, "middle"],
      [-0.3, "30 left"],
      [1, "100 right"],
    ] as const) {
      expect(panText(pan)).toBe(text);
      expect(readPan(text)).toBe(pan);
    }
    expect(readPan("-25")).toBe(-0.25);
    expect(readPan("r40")).toBe(0.4);
    expect(readPan("12 l")).toBe(-0.12);
    expect(readPan("c")).toBe(0);
    expect(readPan("140 left")).toBeNull();
    expect(readPan("left")).toBeNull();
  });
});

describe("a bar", () => {
  it("is found by a second", () => {
    const bars = [0, 2, 4, 7];
    expect([0, 1.99, 2, 6.5, 7, 99].map((s) => barAt(bars, s))).toEqual([1, 1, 2, 3, 4, 4]);
    expect(barAt([], 3)).toBe(1);
  });
});
