import type { Bus, Call, Delta, Id, Instrument, Machine, Schemas, Section } from "./api";
import { words } from "./words";

const say = words.template;

/** List is an ordered list of things, found by id. */
export interface List<T> {
  order: readonly Id[];
  byId: ReadonlyMap<Id, T>;
}

/** Sheet is a template as the browser keeps it. It holds no rules: what is
 * computed comes from the server as facts. */
export interface Sheet {
  id: string;
  revision: number;
  name: string;
  settings: Schemas["Settings"];
  folds: List<Schemas["Fold"]>;
  sections: List<Section>;
  instruments: List<Instrument>;
  buses: List<Bus>;
  libraries: List<Schemas["Library"]>;
  players: List<Schemas["Player"]>;
  patches: List<Schemas["Patch"]>;
  machines: List<Machine>;
  calls: List<Call>;
  rules: readonly Schemas["StemRule"][];
  returnSets: readonly Schemas["ReturnSet"][];
  sightlines: readonly Schemas["Sightline"][];
  facts: ReadonlyMap<Id, Schemas["Fact"]>;
  risers: Readonly<Record<Id, number>>;
  shades: ReadonlyMap<string, number>; // by section at the top and library
  marks: number;
  locked: boolean; // against change
  of?: string; // the template that this one holds as it was
  at?: number; // the revision it holds
}

export function list<T extends { id: Id }>(things: readonly T[]): List<T> {
  return { order: things.map((x) => x.id), byId: new Map(things.map((x) => [x.id, x])) };
}

export function things<T>(l: List<T>): T[] {
  return l.order.map((id) => l.byId.get(id)!);
}

export function sheetOf(opened: Schemas["Opened"]): Sheet {
  const t = opened.template;
  return {
    id: opened.id,
    revision: opened.revision,
    name: t.name,
    settings: t.settings,
    folds: list(t.folds),
    sections: list(t.sections),
    instruments: list(t.instruments),
    buses: list(t.buses),
    libraries: list(t.libraries),
    players: list(t.players),
    patches: list(t.patches),
    machines: list(t.machines),
    calls: list(t.calls),
    rules: t.rules ?? [],
    returnSets: t.returnSets ?? [],
    sightlines: t.sightlines ?? [],
    facts: new Map(opened.facts.map((f) => [f.id, f])),
    risers: opened.risers,
    shades: shadesOf(opened.shades),
    marks: opened.proof.marks,
    locked: opened.locked,
    ...(opened.of ? { of: opened.of, at: opened.at ?? 0 } : {}),
  };
}

interface ListDelta<T> {
  put: T[];
  set?: Schemas["RowsSet"][];
  splice?: Schemas["Splice"];
}

/** follow takes one list to its next revision. */
export function follow<T extends { id: Id }>(before: List<T>, delta: ListDelta<T> | undefined): List<T> {
  if (!delta) return before;
  let order = before.order;
  const byId = new Map(before.byId);
  for (const x of delta.put) byId.set(x.id, x);
  for (const { ids, id, ...values } of delta.set ?? [])
    for (const each of ids ?? [id!]) byId.set(each, withValues(byId.get(each)!, values));
  if (delta.splice) {
    const { at, remove, ids } = delta.splice;
    const next = [...order.slice(0, at), ...ids, ...order.slice(at + remove)];
    const kept = new Set(ids);
    for (const id of order.slice(at, at + remove)) if (!kept.has(id)) byId.delete(id);
    order = next;
  }
  return { order, byId };
}

/** withValues is a thing with some of its values set; empty ones are left out, as
 * the server leaves them out. It is put together again: a thing that something was
 * deleted from is slow to read. */
function withValues<T extends object>(x: T, values: Record<string, unknown>): T {
  const next: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(x)) if (!(key in values)) next[key] = value;
  for (const [key, value] of Object.entries(values)) if (value !== "" && value !== false) next[key] = value;
  return next as T;
}

/** after takes the sheet to the revision of a delta. */
export function after(sheet: Sheet, d: Delta): Sheet {
  const facts = d.facts ? new Map(sheet.facts) : sheet.facts;
  if (d.facts) for (const f of d.facts) (facts as Map<Id, Schemas["Fact"]>).set(f.id, f);
  return {
    ...sheet,
    revision: d.revision,
    name: d.name,
    settings: d.settings ?? sheet.settings,
    folds: follow(sheet.folds, d.lists.folds),
    sections: follow(sheet.sections, d.lists.sections),
    instruments: follow(sheet.instruments, d.lists.instruments),
    buses: follow(sheet.buses, d.lists.buses),
    libraries: follow(sheet.libraries, d.lists.libraries),
    players: follow(sheet.players, d.lists.players),
    patches: follow(sheet.patches, d.lists.patches),
    machines: follow(sheet.machines, d.lists.machines),
    calls: follow(sheet.calls, d.lists.calls),
    rules: d.rules ?? sheet.rules,
    returnSets: d.returnSets ?? sheet.returnSets,
    sightlines: d.sightlines ?? sheet.sightlines,
    facts,
    risers: d.risers ?? sheet.risers,
    shades: d.shades ? shadesOf(d.shades) : sheet.shades,
    marks: d.proof.marks,
  };
}

const shadesOf = (list: readonly Schemas["Shade"][]) =>
  new Map(list.map((x) => [`${x.section} ${x.library}`, x.lightness]));

/** mostNested is more than sections nest, so that no walk is unbounded. */
export const mostNested = 33;

/** tintNames are the tints that every palette has. */
export const tintNames = ["moss", "plum", "clay", "stone", "rose", "petrol", "heather", "grey"] as const;

/** tintsOf lists the tints of the template's palette. */
export const tintsOf = (sheet: Sheet): readonly string[] =>
  sheet.settings.palette?.tints.map((x) => x.tint) ?? tintNames;

/** tintOf finds the tint of a section: its own, or its nearest parent's. */
export function tintOf(sheet: Sheet, section: Id | undefined): string {
  for (let id = section, n = 0; id && n < mostNested; n++) {
    const s = sheet.sections.byId.get(id);
    if (s?.tint) return s.tint;
    id = s?.parent;
  }
  return "grey";
}

export function tintVar(tint: string): string {
  return `var(--tint-${tint})`;
}

/** rowTint is the colour of a row: its own tint, or its section's in the shade of
 * its library. */
export function rowTint(sheet: Sheet, i: Instrument): string {
  if (i.colour) return tintVar(i.colour);
  const plain = tintVar(tintOf(sheet, i.section));
  const by =
    sheet.shades.size > 0 ? sheet.shades.get(`${topOf(sheet, i.section)} ${libraryOf(sheet, i)?.id}`) : undefined;
  return by ? `oklch(from ${plain} calc(l + ${by.toFixed(4)}) c h)` : plain;
}

/** topOf is the section that stands by itself above a section. */
export function topOf(sheet: Pick<Sheet, "sections">, section: Id): Id {
  let id = section;
  for (let n = 0; n < mostNested; n++) {
    const parent = sheet.sections.byId.get(id)?.parent;
    if (!parent) break;
    id = parent;
  }
  return id;
}

/** pathOf names a section with its parents: "Winds / Flutes". */
export function pathOf(sheet: Sheet, section: Id): string {
  const names: string[] = [];
  for (let id: Id | undefined = section; id && names.length < mostNested; ) {
    const s: Section | undefined = sheet.sections.byId.get(id);
    if (!s) break;
    names.unshift(s.name);
    id = s.parent;
  }
  return names.join(" / ");
}

export function libraryOf(sheet: Sheet, i: Instrument): Schemas["Library"] | undefined {
  const patch = i.patches[0] ? sheet.patches.byId.get(i.patches[0]) : undefined;
  return patch && sheet.libraries.byId.get(patch.library);
}

/** librariesOf are those of all patches a row plays, each once. */
export function librariesOf(sheet: Sheet, i: Instrument): Schemas["Library"][] {
  const ids = new Set(i.patches.map((p) => sheet.patches.byId.get(p)?.library));
  return [...ids].flatMap((id) => (id && sheet.libraries.byId.get(id)) || []);
}

/** emblemOf is the emblem of an instrument, or else of what it plays: of its
 * library, or else of its player. */
export function emblemOf(sheet: Sheet, i: Instrument): Schemas["Emblem"] | undefined {
  if (i.emblem) return i.emblem;
  const patch = i.patches[0] ? sheet.patches.byId.get(i.patches[0]) : undefined;
  return patch && (sheet.libraries.byId.get(patch.library)?.emblem ?? sheet.players.byId.get(patch.player)?.emblem);
}

export function seatText(sheet: Sheet, i: Instrument): string {
  if (!i.seat) return "";
  const m = sheet.machines.byId.get(i.seat.machine);
  return `${i.with ? "″ " : ""}${m?.name ?? "?"} ${i.seat.riser}·${i.seat.port}·${String(i.seat.channel).padStart(2, "0")}`;
}

/** The kinds of row, with what people call them. */
export const rowKinds: Record<Instrument["kind"], string> = say.kinds;

export function mib(x: number): string {
  if (x > 0 && x < 1) return `${Math.ceil(x * 1024)} KiB`;
  if (x < 1024) return `${Math.round(x)} MiB`;
  return x < 10240 ? `${(x / 1024).toFixed(1)} GiB` : `${Math.round(x / 1024)} GiB`;
}

export function gib(x: number): string {
  return x > 0 && x < 10240 ? (x / 1024).toFixed(1) : String(Math.round(x / 1024));
}

export function db(x: number): string {
  const text = x.toFixed(2).replace(/\.?0+$/, "");
  return `${x > 0 && text !== "0" ? "+" : ""}${text === "-0" ? "0" : text} dB`.replace("-", "−");
}

export function wait(seconds: number): string {
  if (seconds < 60) return `${Math.ceil(seconds)} s`;
  return `${Math.floor(seconds / 60)} min ${Math.ceil(seconds % 60)} s`;
}

/** bytes tells a size as disks are sold: 288 kB, 17.28 MB, 25.4 GB. */
export function bytes(n: number): string {
  const unit = n < 1e6 ? ["kB", 1e3] : n < 1e9 ? ["MB", 1e6] : ["GB", 1e9];
  return `${(n / (unit[1] as number)).toFixed(n < 1e6 ? 0 : 1)} ${unit[0]}`;
}

/** inUse is the memory that machines hold for this template, players' own with it, MiB. */
export function inUse(rig: Iterable<{ usedMib: number; othersMib?: number }>): number {
  let sum = 0;
  for (const m of rig) sum += Math.max(0, m.usedMib - (m.othersMib ?? 0));
  return sum;
}

const counts = new WeakMap<Sheet["instruments"], number>();

/** isPlayed tells whether a row is an instrument: a spare row keeps a place for one, a divider is a line. */
export const isPlayed = (i: Instrument | undefined) => i !== undefined && i.kind !== "spare" && i.kind !== "divider";

/** played is how many rows are instruments. */
export function played({ instruments }: Pick<Sheet, "instruments">): number {
  let n = counts.get(instruments);
  if (n === undefined) {
    n = 0;
    for (const i of instruments.byId.values()) if (isPlayed(i)) n++;
    counts.set(instruments, n);
  }
  return n;
}

/** panText writes a pan, -1 left to 1 right: middle, 30 left, 100 right. */
export function panText(pan: number): string {
  const share = Math.round(Math.abs(pan) * 100);
  return share === 0 ? say.middle : `${share} ${pan < 0 ? say.left : say.right}`;
}

/** readPan reads what panText writes, shorter words for it, and -30 or 30; null for what is
 * none. */
export function readPan(text: string): number | null {
  if (/^\s*(m|middle|c)\s*$/i.test(text)) return 0;
  const m = /^\s*(?:(l|r)\s*)?([-−+]?\d+(?:[.,]\d+)?)\s*(?:(l|r)[a-z]*)?\s*$/i.exec(text);
  if (!m) return null;
  const share = Number(m[2]!.replace("−", "-").replace(",", "."));
  const pan = ((m[1] ?? m[3])?.toLowerCase() === "l" ? -share : share) / 100;
  return Math.abs(pan) <= 1 ? pan : null;
}

/** when writes a moment as lists of changes have it: "27 Nov, 16:05"; with the year where it is another. */
export const when = (at: string) => {
  const then = new Date(at);
  return then.toLocaleString("en-GB", {
    ...(then.getFullYear() === new Date().getFullYear() ? {} : { year: "numeric" }),
    month: "short",
    day: "numeric",
    hour: "2-digit",
    minute: "2-digit",
  });
};
