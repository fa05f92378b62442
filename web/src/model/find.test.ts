import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { asked, textOf, used, uses } from "./find";

describe("asked", () => {
  it("finds by abbreviations, initials and words in any order", () => {
    expect(asked("spic vln")(textOf("Violins 1 short", "", "spiccato"))).toBe(true);
    expect(asked("tam-tam")(textOf("Tam-tam"))).toBe(true);
    expect(asked("bd roll")(textOf("Concert bass drum", "Percussion / Drums", "hit", "roll"))).toBe(true);
    expect(asked("low brass short")(textOf("Tubas short", "Brass / Low brass"))).toBe(true);
    expect(asked("vlns pizz")(textOf("Violins 1 short", "spiccato"))).toBe(false);
    expect(asked("dr")(textOf("Bass", "Strings / Basses"))).toBe(false);
  });
});

describe("uses", () => {
  beforeEach(() => {
    const kept = new Map<string, string>();
    vi.stubGlobal("localStorage", {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => kept.set(key, value),
    });
  });
  afterEach(() => vi.unstubAllGlobals());
  it("counts what was chosen, and survives what is not its own", () => {
    used("harp");
    used("harp");
    used("oboe");
    expect(uses()).toEqual({ harp: 2, oboe: 1 });
    localStorage.setItem("fanfold.found", "not JSON");
    expect(uses()).toEqual({});
  });
  it("forgets the least used", () => {
    for (let n = 0; n < 250; n++) used(`row ${n}`);
    used("row 249");
    expect(Object.keys(uses()).length).toBe(200);
    expect(uses()["row 249"]).toBe(2);
  });
});
