import type { Bus, Id } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { isPlayed, type Sheet, things } from "../../model/template";

/** Cell is one stem of the folding tree: in the column of its fold, as high as
 * the stems of the finer fold that belong to it. */
export interface Cell {
  stem: Bus;
  column: number;
  row: number;
  span: number;
  inside: number; // stems right below it
  count: number; // instruments
}

/** parentOf is the stem of a coarser fold that a stem feeds. */
export function parentOf(sheet: Pick<Sheet, "buses" | "folds">, stem: Bus): Bus | undefined {
  const place = (b: Bus) => sheet.folds.order.indexOf(b.fold ?? "");
  for (const r of stem.routes) {
    const to = sheet.buses.byId.get(r.to);
    if (to && busKinds[to.kind].stem && place(to) > place(stem)) return to;
  }
  return undefined;
}

/** tree lays the stems out. A folded stem hides those below it. */
export function tree(
  sheet: Pick<Sheet, "buses" | "folds" | "facts" | "sections" | "instruments">,
  folded: ReadonlySet<Id>,
): { cells: Cell[]; rows: number } {
  const stems = things(sheet.buses).filter((b) => busKinds[b.kind].stem);
  const rank = new Map<Id, number>(); // those of a section's parts before what is of the whole
  for (const [n, id] of sectionsInOrder(sheet).entries()) {
    for (let up = sheet.sections.byId.get(id)?.parent; up; up = sheet.sections.byId.get(up)?.parent)
      rank.set(up, 2 * n + 1);
    rank.set(id, 2 * n);
  }
  const at = (b: Bus) => rank.get(b.section ?? "") ?? rank.size;
  stems.sort((a, b) => at(a) - at(b));
  const below = new Map<Id, Bus[]>();
  const tops: Bus[] = [];
  for (const s of stems) {
    const parent = parentOf(sheet, s);
    if (!parent) tops.push(s);
    else below.set(parent.id, [...(below.get(parent.id) ?? []), s]);
  }
  const direct = new Map<Id, number>();
  for (const f of sheet.facts.values())
    if (isPlayed(sheet.instruments.byId.get(f.id))) for (const id of f.stems) direct.set(id, (direct.get(id) ?? 0) + 1);
  const count = (b: Bus): number => (direct.get(b.id) ?? 0) + (below.get(b.id) ?? []).reduce((n, c) => n + count(c), 0);
  const cells: Cell[] = [];
  const place = (stem: Bus, row: number): number => {
    const children = below.get(stem.id) ?? [];
    const cell: Cell = {
      stem,
      column: sheet.folds.order.indexOf(stem.fold ?? ""),
      row,
      span: 1,
      inside: children.length,
      count: count(stem),
    };
    cells.push(cell);
    if (children.length > 0 && !folded.has(stem.id)) {
      cell.span = 0;
      for (const c of children) cell.span += place(c, row + cell.span);
    }
    return cell.span;
  };
  let rows = 0;
  for (const s of tops) rows += place(s, rows);
  return { cells, rows };
}

/** sectionsInOrder lists the sections depth first. */
function sectionsInOrder(sheet: Pick<Sheet, "sections">): Id[] {
  const out: Id[] = [];
  const walk = (parent: string) => {
    for (const s of things(sheet.sections)) {
      if ((s.parent ?? "") !== parent) continue;
      out.push(s.id);
      walk(s.id);
    }
  };
  walk("");
  return out;
}
