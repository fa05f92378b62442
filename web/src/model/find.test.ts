import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { asked, firstRows, meant, rowsToFind, textOf, used, uses, waysToFind } from "./find";
import { list, type Sheet } from "./template";

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

describe("firstRows", () => {
  const row = (id: string, name: string, section: string, articulations: string[]) => ({
    id,
    name,
    section,
    articulations,
    patches: [],
  });
  const sheet = {
    sections: list([
      { id: "b", name: "Brass" },
      { id: "s", name: "Strings" },
    ]),
    instruments: list([
      row("1", "Cellos", "s", ["col legno battuto"]),
      row("2", "Tuba", "b", ["stacc"]),
      row("3", "Tuba mute", "b", ["long"]),
      row("4", "Col legno cellos", "s", ["hit"]),
    ]),
    libraries: list([]),
    buses: list([{ id: "lb", name: "Low brass" }]),
    facts: new Map([["2", { stems: ["lb"] }]]),
  } as unknown as Sheet;
  const terms = [{ id: "t", name: "Staccato", short: "stacc", synonyms: ["short notes"], family: "short" as const }];
  const found = (question: string, counts = {}, most = 10) =>
    firstRows(rowsToFind(sheet, terms as never), question, most, counts).map((r) => r.row.id);
  it("knows stems and the other words for an articulation", () => {
    expect(found("low brass short")).toEqual(["2"]);
  });
  it("puts what is so named before what only plays so", () => {
    expect(found("col legno")).toEqual(["4", "1"]);
  });
  it("takes one word from the name and another from what is around it", () => {
    expect(found("tuba low")).toEqual(["2"]);
    expect(found("tuba cellos")).toEqual([]);
  });
  it("keeps to the first, and those chosen before", () => {
    expect(found("tuba", {}, 1)).toEqual(["2"]);
    expect(found("tuba", { "3": 1 }, 1)).toEqual(["2", "3"]);
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

describe("articulations", () => {
  const row = (id: string, name: string, articulations: string[]) => ({
    row: { id, name, articulations },
    path: "Strings",
    name: textOf(name),
    text: textOf(name, ...articulations),
  });
  const rows = [
    row("1", "Violins 1 short", ["spiccato", "pizz"]),
    row("2", "Violas", ["pizz", "long"]),
    row("3", "Harp", ["long"]),
  ] as never as ReturnType<typeof rowsToFind>;
  const all = list(rows.map((r) => r.row));
  const terms = [
    { id: "t", name: "Pizzicato", short: "pizz", synonyms: ["plucked"], family: "short" },
  ] as never as Parameters<typeof waysToFind>[1];
  it("are found by all their names, with the rows that offer them", () => {
    const found = waysToFind(all, terms).filter((w) => asked("plucked")(w.text));
    expect(found.map((w) => [w.name, w.rows])).toEqual([["pizz", ["1", "2"]]]);
    expect(waysToFind(all, terms)).toBe(waysToFind(all, terms));
  });
  it("are told of a row where its name does not say them", () => {
    expect(meant(rows[0]!, terms, "vlns plucked")).toEqual(["pizz"]);
    expect(meant(rows[0]!, terms, "violins short")).toEqual([]);
    expect(meant(rows[1]!, terms, "violas")).toEqual([]);
  });
});
