import type { Id, Instrument } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { assign, change } from "../../model/changing";
import { tintSections } from "../../model/palette";
import { get } from "../../model/store";
import { librariesOf, pathOf, rowKinds, type Sheet, seatText, things, tintsOf } from "../../model/template";
import { words } from "./words";

const say = words.fields;

/** Field is one column of the sheet: how it reads, and how it is set for the
 * whole selection. */
export interface Field {
  key: keyof typeof say.named;
  title: string;
  least: number; // the width in pixels that it has at least
  share?: number; // of what room is left
  wideOnly?: boolean;
  menuOnly?: boolean; // set from the menu, without a column
  text: (sheet: Sheet, i: Instrument) => string; // what the cell shows
  value?: (sheet: Sheet, i: Instrument) => string; // what editing starts with
  choices?: (sheet: Sheet) => string[];
  closed?: boolean; // one of the choices, and nothing else
  tints?: boolean; // the choices are colours; none is one, too
  gives?: number; // gives its room, the lowest first, where there is too little
  lines?: boolean; // dividers have it, too
  one?: boolean; // is never set for several rows at once
  set?: (ids: Id[], value: string, base: number) => Promise<unknown>;
}

const edit = (ids: Id[], fields: object, base: number) =>
  change({ kind: "edit", edits: [ids.length === 1 ? { id: ids[0]!, ...fields } : { ids, ...fields }] }, base);

const stemText = (sheet: Sheet, i: Instrument) =>
  (sheet.facts.get(i.id)?.stems ?? []).map((id) => sheet.buses.byId.get(id)?.name ?? "").join(", ");

const fineStems = (sheet: Sheet) =>
  things(sheet.buses)
    .filter((b) => busKinds[b.kind].stem && b.fold === sheet.folds.order[0])
    .map((b) => b.name);

export const fields: Field[] = [
  {
    key: "name",
    title: say.instrument,
    least: 120,
    share: 1.2,
    text: (_, i) => i.name,
    one: true,
    lines: true,
    set: (ids, name, base) => edit(ids, { name, nameByHand: true }, base),
  },
  {
    key: "articulations",
    title: say.articulations,
    least: 90,
    share: 1.7,
    text: (_, i) => i.articulations.join(" · "),
    value: (_, i) => i.articulations.join("; "),
    set: (ids, text, base) => {
      const articulations = text
        .split(";")
        .map((a) => a.trim())
        .filter(Boolean);
      return edit(ids, { articulations }, base);
    },
  },
  {
    key: "library",
    title: say.lib,
    least: 52,
    gives: 2,
    share: 0.3,
    text: (sheet, i) =>
      librariesOf(sheet, i)
        .map((l) => l.code)
        .join(" + "),
    value: (sheet, i) =>
      librariesOf(sheet, i)
        .map((l) => l.name)
        .join(" + "),
    choices: (sheet) => things(sheet.libraries).map((l) => l.name),
    set: (ids, name, base) => assign(ids, "library", name, base),
  },
  {
    key: "machine",
    title: say.seat,
    least: 92,
    text: (sheet, i) => seatText(sheet, i) || (i.kind === "sampled" ? say.noSeat : ""),
    value: (sheet, i) => sheet.machines.byId.get(i.seat?.machine ?? i.style.machine ?? "")?.name ?? "",
    choices: (sheet) => things(sheet.machines).map((m) => m.name),
    set: (ids, name, base) => assign(ids, "machine", name, base),
  },
  {
    key: "stem",
    title: say.stem,
    least: 92,
    share: 1,
    text: (sheet, i) =>
      (stemText(sheet, i) && `${stemText(sheet, i)}${i.stemByHand ? say.byHand : ""}`) ||
      (i.kind === "guide" ? say.toTheSpeakers : i.kind === "spare" ? "" : say.noStem),
    value: stemText,
    choices: fineStems,
    set: (ids, name, base) => assign(ids, "stem", name, base),
  },
  {
    key: "section",
    lines: true,
    title: say.section,
    least: 110,
    share: 0.8,
    wideOnly: true,
    text: (sheet, i) => pathOf(sheet, i.section),
    choices: (sheet) => sheet.sections.order.map((id) => pathOf(sheet, id)),
    set: (ids, path, base) => assign(ids, "section", path, base),
  },
  {
    key: "short",
    title: say.short,
    least: 70,
    wideOnly: true,
    text: (_, i) => i.short ?? "",
    one: true,
    set: (ids, short, base) => edit(ids, { short: short.trim(), shortByHand: short.trim() !== "" }, base),
  },
  {
    key: "notes",
    lines: true,
    title: say.notes,
    least: 100,
    share: 1,
    wideOnly: true,
    text: (_, i) => i.notes ?? "",
    set: (ids, notes, base) => edit(ids, { notes }, base),
  },
  {
    key: "colour",
    lines: true,
    title: say.colour,
    least: 0,
    menuOnly: true,
    text: (_, i) => i.colour ?? "",
    choices: (sheet) => ["", ...tintsOf(sheet)],
    closed: true,
    tints: true,
    set: (ids, colour, base) => edit(ids, { colour }, base),
  },
  {
    key: "sectionColour",
    lines: true,
    title: say.sectionColour,
    least: 0,
    menuOnly: true,
    text: (sheet, i) => sheet.sections.byId.get(i.section)?.tint ?? "",
    choices: (sheet) => ["", ...tintsOf(sheet)],
    closed: true,
    tints: true,
    set: (ids, tint, base) => {
      const { byId } = get().sheet!.instruments;
      return tintSections([...new Set(ids.map((id) => byId.get(id)!.section))], tint.trim(), base);
    },
  },
  {
    key: "kind",
    lines: true,
    title: say.kind,
    least: 0,
    menuOnly: true,
    text: (_, i) => i.kind,
    choices: () => Object.keys(rowKinds),
    closed: true,
    set: (ids, kind, base) => assign(ids, "kind", kind, base),
  },
  {
    key: "mib",
    title: "MiB",
    least: 52,
    gives: 1,
    text: (sheet, i) => Math.round(sheet.facts.get(i.id)?.readyMib ?? 0).toLocaleString("en"),
  },
];

/** having are the rows that have a field: a divider plays nothing, and has few. */
export const having = (sheet: Sheet, field: Field, ids: readonly Id[]): Id[] =>
  ids.filter((id) => field.lines || sheet.instruments.byId.get(id)?.kind !== "divider");

/** fieldWord is what a sentence calls a field. */
export const fieldWord = (f: Field): string => say.named[f.key];

export const fieldNamed = (key: string): Field => fields.find((f) => f.key === key)!;

/** fitting are the columns that have room in a width in pixels: where it is too little, some give theirs. */
export function fitting(shown: Field[], width: number): Field[] {
  let rest = shown;
  const over = () => rest.reduce((sum, f) => sum + f.least, 0) > width;
  while (over()) {
    const giving = rest.filter((f) => f.gives).sort((a, b) => a.gives! - b.gives!)[0];
    if (!giving) break;
    rest = rest.filter((f) => f !== giving);
  }
  return rest;
}

/** widths shares out a width in pixels among columns: each has its least, and
 * what is left goes to those that ask for a share, until each has its share of
 * all that is not fixed. */
export function widths(shown: Field[], width: number): number[] {
  const open = new Set(shown.filter((f) => f.share));
  let room = width - shown.reduce((sum, f) => sum + (f.share ? 0 : f.least), 0);
  const unit = () => room / [...open].reduce((sum, f) => sum + f.share!, 0);
  for (;;) {
    const tight = [...open].filter((f) => f.share! * unit() < f.least);
    if (tight.length === 0) break;
    for (const f of tight) {
      open.delete(f);
      room -= f.least;
    }
  }
  const each = unit();
  return shown.map((f) => (open.has(f) ? Math.floor(f.share! * each) : f.least));
}
