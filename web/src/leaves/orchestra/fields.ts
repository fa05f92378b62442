import type { Id, Instrument } from "../../model/api";
import { assign, change } from "../../model/store";
import { libraryOf, pathOf, type Sheet, seatText, things } from "../../model/template";

/** Field is one column of the sheet: how it reads, and how it is set for the
 * whole selection. */
export interface Field {
  key: string;
  title: string;
  width: string; // a grid track
  wideOnly?: boolean;
  text: (sheet: Sheet, i: Instrument) => string; // what the cell shows
  value?: (sheet: Sheet, i: Instrument) => string; // what editing starts with
  choices?: (sheet: Sheet) => string[];
  one?: boolean; // is never set for several rows at once
  set?: (ids: Id[], value: string) => Promise<unknown>;
}

const edit = (ids: Id[], fields: object) => change({ kind: "edit", edits: ids.map((id) => ({ id, ...fields })) });

const stemText = (sheet: Sheet, i: Instrument) =>
  (sheet.facts.get(i.id)?.stems ?? []).map((id) => sheet.buses.byId.get(id)?.name ?? "").join(", ");

const fineStems = (sheet: Sheet) =>
  things(sheet.buses)
    .filter((b) => b.kind === "stem" && b.fold === sheet.folds.order[0])
    .map((b) => b.name);

export const fields: Field[] = [
  {
    key: "name",
    title: "Instrument",
    width: "minmax(120px, 1.2fr)",
    text: (_, i) => i.name,
    one: true,
    set: (ids, name) => edit(ids, { name }),
  },
  {
    key: "articulations",
    title: "Articulations",
    width: "minmax(90px, 1.3fr)",
    text: (_, i) => i.articulations.join(" · "),
    value: (_, i) => i.articulations.join("; "),
    set: (ids, text) =>
      edit(ids, {
        articulations: text
          .split(";")
          .map((a) => a.trim())
          .filter(Boolean),
      }),
  },
  {
    key: "library",
    title: "Lib.",
    width: "52px",
    text: (sheet, i) => libraryOf(sheet, i)?.code ?? "",
    value: (sheet, i) => libraryOf(sheet, i)?.name ?? "",
    choices: (sheet) => things(sheet.libraries).map((l) => l.name),
    set: (ids, name) => assign(ids, "library", name),
  },
  {
    key: "machine",
    title: "Seat",
    width: "100px",
    text: (sheet, i) => seatText(sheet, i) || (i.kind === "sampled" ? "no seat" : ""),
    value: (sheet, i) => sheet.machines.byId.get(i.seat?.machine ?? i.style.machine ?? "")?.name ?? "",
    choices: (sheet) => things(sheet.machines).map((m) => m.name),
    set: (ids, name) => assign(ids, "machine", name),
  },
  {
    key: "stem",
    title: "Stem",
    width: "minmax(96px, 1fr)",
    text: (sheet, i) =>
      stemText(sheet, i) || (i.kind === "guide" ? "to the speakers" : i.kind === "spare" ? "" : "no stem"),
    value: stemText,
    choices: fineStems,
    set: (ids, name) => assign(ids, "stem", name),
  },
  {
    key: "section",
    title: "Section",
    width: "minmax(110px, 0.8fr)",
    wideOnly: true,
    text: (sheet, i) => pathOf(sheet, i.section),
    choices: (sheet) => sheet.sections.order.map((id) => pathOf(sheet, id)),
    set: (ids, path) => assign(ids, "section", path),
  },
  {
    key: "notes",
    title: "Notes",
    width: "minmax(100px, 1fr)",
    wideOnly: true,
    text: (_, i) => i.notes ?? "",
    set: (ids, notes) => edit(ids, { notes }),
  },
  {
    key: "mib",
    title: "MiB",
    width: "52px",
    text: (sheet, i) => Math.round(sheet.facts.get(i.id)?.readyMib ?? 0).toLocaleString("en"),
  },
];

export const fieldNamed = (key: string): Field => fields.find((f) => f.key === key)!;
