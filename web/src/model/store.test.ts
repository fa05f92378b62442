import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "./api";
import { answer, Refusal } from "./api";
import { register } from "./leaves";
import { rigAfter } from "./opening";
import { Unanswered } from "./sending";
import { attempt, dismiss, get, select, set, tell, toggleFold, unfold } from "./store";
import { after, db, gib, list, mib, mostNested, pathOf, rowTint, type Sheet, sheetOf, tintOf, wait } from "./template";

const state = (id: string, s: string, progress = 0) => ({ id, state: s, progress }) as Schemas["State"];
const machine = (id: string, usedMib: number) =>
  ({ id, online: true, usedMib, limitMib: 100, othersMib: 0, crowded: 0, leftMs: 0 }) as Schemas["MachineState"];

describe("the running state", () => {
  const before = {
    states: new Map([
      ["a", state("a", "ready")],
      ["b", state("b", "tuning", 0.2)],
    ]),
    rig: new Map([["m", machine("m", 10)]]),
    called: 7,
  };
  it("counts only when others are called than before", () => {
    const moves = { instruments: [state("b", "tuning", 0.5)], tacet: [], machines: [] };
    expect(rigAfter(before, moves).called).toBe(7);
    expect(rigAfter(before, { ...moves, tacet: ["a"] }).called).toBe(8);
    expect(rigAfter(before, { ...moves, instruments: [state("c", "tuning")] }).called).toBe(8);
    expect(rigAfter(before, { ...moves, machines: [machine("m", 20)] }).called).toBe(7);
    const elsewhere = { ...machine("m", 20), othersMib: 10 };
    expect(rigAfter(before, { ...moves, machines: [elsewhere] }).called, "another template called").toBe(8);
  });
  it("follows what changed and leaves the rest", () => {
    const next = rigAfter(before, { instruments: [state("b", "ready")], tacet: ["a"], machines: [] });
    expect([...next.states.keys()]).toEqual(["b"]);
    expect(next.states.get("b")?.state).toBe("ready");
    expect(next.rig).toBe(before.rig);
    expect(before.states.size).toBe(2);
  });
  it("keeps the same map when no instrument changed, so that nothing draws anew", () => {
    const next = rigAfter(before, { instruments: [], tacet: [], machines: [machine("m", 20)] });
    expect(next.states).toBe(before.states);
    expect(next.rig.get("m")?.usedMib).toBe(20);
  });
  it("takes a whole state in place of all it knew", () => {
    const next = rigAfter(before, { whole: true, instruments: [state("c", "failed")], tacet: [], machines: [] });
    expect([...next.states.keys()]).toEqual(["c"]);
    expect(next.rig.size).toBe(0);
  });
});

const opened = {
  id: "t",
  revision: 4,
  shades: [{ section: "w", library: "l", lightness: 0.02 }],
  template: {
    name: "Salt",
    settings: { riserPorts: 8 },
    folds: [],
    sections: [
      { id: "w", name: "Winds", tint: "moss" },
      { id: "f", name: "Flutes", parent: "w" },
    ],
    instruments: [
      { id: "1", name: "Flute", section: "f" },
      { id: "2", name: "Oboe", section: "w" },
    ],
    buses: [],
    libraries: [],
    players: [],
    patches: [],
    machines: [],
    calls: [],
  },
  facts: [{ id: "1", stems: [], readyMib: 310 }],
  proof: { marks: 2, counts: {} },
  risers: { m: 4 },
} as unknown as Schemas["Opened"];

const delta = (more: Partial<Schemas["Delta"]>) =>
  ({ revision: 5, name: "Salt", proof: { marks: 0, counts: {} }, lists: {}, ...more }) as Schemas["Delta"];

describe("the sheet", () => {
  const sheet = sheetOf(opened);
  it("goes to the next revision and shares what did not change", () => {
    const flute = { ...sheet.instruments.byId.get("1")!, name: "Flute 1" };
    const next = after(sheet, delta({ lists: { instruments: { put: [flute] } } as never }));
    expect(next.revision).toBe(5);
    expect(next.marks).toBe(0);
    expect(next.instruments.byId.get("1")?.name).toBe("Flute 1");
    expect(next.instruments.order).toBe(sheet.instruments.order);
    expect(next.sections).toBe(sheet.sections);
    expect(next.facts).toBe(sheet.facts);
    expect(sheet.instruments.byId.get("1")?.name).toBe("Flute");
  });
  it("takes new facts, settings and risers", () => {
    const facts = [{ id: "2", stems: ["s"], readyMib: 5 }];
    const next = after(sheet, delta({ facts, risers: { m: 2 } }));
    expect(next.facts.get("2")?.readyMib).toBe(5);
    expect(next.facts.get("1")?.readyMib).toBe(310);
    expect(next.risers).toEqual({ m: 2 });
    expect(after(sheet, delta({})).risers).toBe(sheet.risers);
  });
  it("shows a row in its own tint, else in its section's, in the shade of its library", () => {
    const row = (x: object) => rowTint(sheet, { section: "f", patches: ["p"], ...x } as never);
    const played = { ...sheet, patches: list([{ id: "p", library: "l" }]), libraries: list([{ id: "l" }]) } as never;
    expect(rowTint(played, { section: "f", patches: ["p"] } as never)).toBe(
      "oklch(from var(--tint-moss) calc(l + 0.0200) c h)",
    );
    expect(row({})).toBe("var(--tint-moss)");
    expect(row({ colour: "rose" })).toBe("var(--tint-rose)");
  });
  it("sets values of many rows at once, and leaves empty ones out", () => {
    const lists = {
      instruments: {
        put: [],
        set: [
          { ids: ["1", "2"], notes: "dry" },
          { id: "1", keep: true },
        ],
      },
    };
    const next = after(sheet, { ...delta({}), lists } as never);
    expect(next.instruments.byId.get("1")).toMatchObject({ name: "Flute", notes: "dry", keep: true });
    expect(next.instruments.byId.get("2")).not.toHaveProperty("keep");
    const set = [{ ids: ["1", "2"], notes: "", keep: false }];
    const back = after(next, { ...delta({}), lists: { instruments: { put: [], set } } } as never);
    expect(back.instruments.byId.get("1")).toEqual(sheet.instruments.byId.get("1"));
  });
  it("finds tints and paths through parents, and survives a missing one", () => {
    expect(tintOf(sheet, "f")).toBe("moss");
    expect(tintOf(sheet, "gone")).toBe("grey");
    expect(pathOf(sheet, "f")).toBe("Winds / Flutes");
    const odd = { ...sheet, sections: list([{ id: "x", name: "X", parent: "x" }]) } as Sheet;
    expect(pathOf(odd, "x").split(" / ")).toHaveLength(mostNested);
  });
});

describe("figures", () => {
  it.each([
    [0, "0 MiB"],
    [0.2, "205 KiB"],
    [310, "310 MiB"],
    [1500, "1.5 GiB"],
    [59597, "58 GiB"],
  ])("writes %d MiB as %s", (x, text) => expect(mib(x)).toBe(text));
  it.each([
    [0, "0"],
    [512, "0.5"],
    [20480, "20"],
  ])("writes %d MiB in GiB as %s", (x, text) => expect(gib(x)).toBe(text));
  it.each([
    [-14, "−14 dB"],
    [6.0206, "+6.02 dB"],
    [-0.001, "0 dB"],
    [0, "0 dB"],
  ])("writes %d dB as %s", (x, text) => expect(db(x)).toBe(text));
  it.each([
    [0.2, "1 s"],
    [59, "59 s"],
    [130, "2 min 10 s"],
  ])("writes %d s as %s", (x, text) => expect(wait(x)).toBe(text));
});

describe("asking the server", () => {
  const said = (status: number, body: object) =>
    Promise.resolve(
      status < 300 ? { data: body, response: { ok: true, status } } : { error: body, response: { ok: false, status } },
    ) as never;
  const problem = (code: string, detail = "because") => ({
    type: "about:blank",
    title: "T",
    status: 409,
    code,
    detail,
  });
  beforeEach(() => set({ notices: [], clash: null, person: { name: "Ada" } as never }));

  it("gives what was answered", async () => expect(await answer(said(200, { ok: 1 }))).toEqual({ ok: 1 }));
  it("turns a silent server into a refusal that says what is known", async () => {
    await expect(answer(Promise.reject(new Unanswered(false)))).rejects.toThrow(
      /^The server does not answer. Try again/,
    );
    await expect(answer(Promise.reject(new Unanswered(true)))).rejects.toThrow(/not known whether this was done/);
    await expect(answer(said(502, {}))).rejects.toBeInstanceOf(Refusal);
  });
  it("shows a refusal in words", async () => {
    expect(await attempt(() => answer(said(409, problem("no-room", "Birch is 2 GiB short"))))).toBeUndefined();
    expect(get().notices.map((n) => [n.tone, n.text])).toEqual([["refused", "Birch is 2 GiB short"]]);
  });
  it("asks what shall stand after a clash, and can set it again", async () => {
    const again = vi.fn(async () => 1);
    await attempt(() => answer(said(409, problem("clash"))), again);
    expect(get().notices).toEqual([]);
    expect(get().clash?.problem.code).toBe("clash");
    await get().clash?.again();
    expect(again).toHaveBeenCalledOnce();
  });
  it("leads back to signing in when the session has ended", async () => {
    await attempt(() => answer(said(401, problem("signed-out"))));
    expect(get().person).toBeNull();
  });
  it("does not hide a fault of its own", async () => {
    await expect(attempt(() => Promise.reject(new Error("bug")))).rejects.toThrow("bug");
  });
  it("keeps few notices, each dismissed by itself", () => {
    for (const text of ["a", "b", "c", "d"]) tell(text);
    expect(get().notices.map((n) => n.text)).toEqual(["b", "c", "d"]);
    dismiss(get().notices[1]!.id);
    expect(get().notices.map((n) => n.text)).toEqual(["b", "d"]);
  });
});

const leafNames = ["deliver", "library", "orchestra", "seating", "routing", "calls"] as const;
register(leafNames.map((name) => ({ name })));

describe("leaves and selection", () => {
  it("unfolds one leaf, or beside others in working order, three at most", () => {
    set({ open: ["orchestra"] });
    unfold("calls", true);
    expect(get().open).toEqual(["orchestra", "calls"]);
    unfold("seating", true);
    expect(get().open).toEqual(["orchestra", "seating", "calls"]);
    unfold("routing", true);
    expect(get().open).toEqual(["seating", "routing", "calls"]);
    unfold("routing", true);
    expect(get().open).toEqual(["seating", "calls"]);
    unfold("orchestra", false);
    expect(get().open).toEqual(["orchestra"]);
    unfold("orchestra", true);
    expect(get().open).toEqual(["orchestra"]);
  });
  it("folds and unfolds a section", () => {
    toggleFold("w");
    expect(get().folded.has("w")).toBe(true);
    toggleFold("w");
    expect(get().folded.has("w")).toBe(false);
  });
  it("selects with a cursor where a range starts", () => {
    select(["1", "2"], "2");
    expect([...get().selection]).toEqual(["1", "2"]);
    expect([get().cursor, get().anchor]).toEqual(["2", "2"]);
  });
});
