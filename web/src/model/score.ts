import type { Id, Section } from "./api";
import { isPlayed, type Sheet } from "./template";

/** Line is one line of the score-like sheet. */
export type Line =
  | { kind: "section"; section: Section; depth: number; count: number; folded: boolean; end: number }
  | { kind: "row"; id: Id; depth: number };

/** lines lays the sheet out: sections depth first, each with its own rows;
 * a folded section is one line. `end` is the last line that belongs to it. Only
 * some rows may show; sections without any are left out, then. */
export function lines(
  sheet: Pick<Sheet, "sections" | "instruments">,
  folded: ReadonlySet<Id>,
  only: ReadonlySet<Id> | null = null,
  pinned: readonly Id[] = [],
): Line[] {
  const children = new Map<Id, Section[]>();
  for (const id of sheet.sections.order) {
    const s = sheet.sections.byId.get(id)!;
    const key = s.parent ?? "";
    if (!children.has(key)) children.set(key, []);
    children.get(key)!.push(s);
  }
  const rows = new Map<Id, Id[]>();
  const first = new Set(pinned);
  for (const id of sheet.instruments.order) {
    if (first.has(id) || (only && !only.has(id))) continue;
    const key = sheet.instruments.byId.get(id)!.section;
    if (!rows.has(key)) rows.set(key, []);
    rows.get(key)!.push(id);
  }
  const holds = (s: Section): boolean => rows.has(s.id) || (children.get(s.id) ?? []).some(holds);
  const count = (s: Section): number =>
    (rows.get(s.id) ?? []).filter((id) => isPlayed(sheet.instruments.byId.get(id))).length +
    (children.get(s.id) ?? []).reduce((n, c) => n + count(c), 0);
  const out: Line[] = pinned.map((id) => ({ kind: "row", id, depth: 0 }));
  const walk = (s: Section, depth: number) => {
    if (only && !holds(s)) return;
    const line: Line = { kind: "section", section: s, depth, count: count(s), folded: folded.has(s.id), end: 0 };
    out.push(line);
    if (!line.folded) {
      for (const id of rows.get(s.id) ?? []) out.push({ kind: "row", id, depth });
      for (const c of children.get(s.id) ?? []) walk(c, depth + 1);
    }
    line.end = out.length - 1;
  };
  for (const s of children.get("") ?? []) walk(s, 0);
  return out;
}

/** flatLines lists the rows by themselves, in an order of their own; pinned rows
 * stay first. */
export function flatLines(
  sheet: Pick<Sheet, "instruments" | "machines" | "facts">,
  order: "name" | "seat" | "memory",
  only: ReadonlySet<Id> | null,
  pinned: readonly Id[],
): Line[] {
  const first = new Set(pinned);
  const place = new Map(sheet.machines.order.map((id, n) => [id, n]));
  const key = (id: Id): (string | number)[] => {
    const i = sheet.instruments.byId.get(id)!;
    if (order === "name") return [i.name.toLowerCase()];
    if (order === "memory") return [-(sheet.facts.get(id)?.readyMib ?? 0)];
    const s = i.seat;
    return s ? [place.get(s.machine) ?? 0, s.riser, s.port, s.channel] : [Number.MAX_SAFE_INTEGER];
  };
  const rows = sheet.instruments.order.filter((id) => !first.has(id) && (!only || only.has(id)));
  const keyed = rows.map((id) => ({ id, key: key(id) }));
  keyed.sort((a, b) => {
    for (let n = 0; n < Math.min(a.key.length, b.key.length); n++) {
      const x = a.key[n]!;
      const y = b.key[n]!;
      const c = typeof x === "string" ? x.localeCompare(String(y), undefined, { numeric: true }) : x - Number(y);
      if (c !== 0) return c;
    }
    return 0;
  });
  return [...pinned, ...keyed.map((x) => x.id)].map((id) => ({ kind: "row", id, depth: 0 }));
}

/** within lists the rows of a section and everything below it. */
export function within(sheet: Pick<Sheet, "sections" | "instruments">, section: Id): Id[] {
  const inside = new Set([section]);
  let grew = true;
  while (grew) {
    grew = false;
    for (const s of sheet.sections.byId.values()) {
      if (s.parent && inside.has(s.parent) && !inside.has(s.id)) {
        inside.add(s.id);
        grew = true;
      }
    }
  }
  return sheet.instruments.order.filter((id) => inside.has(sheet.instruments.byId.get(id)!.section));
}

/** between lists the rows from one to another, as they stand in the sheet. */
export function between(all: readonly Line[], from: Id, to: Id): Id[] {
  const ids = all.flatMap((l) => (l.kind === "row" ? [l.id] : []));
  const a = ids.indexOf(from);
  const b = ids.indexOf(to);
  if (a < 0 || b < 0) return [to];
  return ids.slice(Math.min(a, b), Math.max(a, b) + 1);
}
