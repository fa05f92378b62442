import type { Id } from "../../model/api";
import { isPlayed, type Sheet, topOf } from "../../model/template";

/** Share is what of a call one section is. */
export interface Share {
  section: Id;
  name: string;
  rows: Id[];
  mib: number; // when all of it is ready
}

/** madeOf is what a call is made of, by the outermost sections, in score order. */
export function madeOf(sheet: Pick<Sheet, "sections" | "instruments" | "facts">, ids: Iterable<Id>): Share[] {
  const shares = new Map<Id, Share>();
  const asked = new Set(ids);
  for (const id of sheet.instruments.order) {
    const i = sheet.instruments.byId.get(id)!;
    if (!asked.has(id) || !isPlayed(i)) continue;
    const section = topOf(sheet, i.section);
    const name = sheet.sections.byId.get(section)?.name ?? "";
    const share = shares.get(section) ?? { section, name, rows: [], mib: 0 };
    share.rows.push(id);
    share.mib += sheet.facts.get(id)?.readyMib ?? 0;
    shares.set(section, share);
  }
  return [...shares.values()];
}
