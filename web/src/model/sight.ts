import { useMemo, useRef } from "react";
import { answer, api, type Id, type Schemas } from "./api";
import { at, change, once } from "./changing";
import { inOrder } from "./leaves";
import { readyOf } from "./ready";
import { attempt, get, remember, set, tell, useApp } from "./store";
import { type Sheet, things } from "./template";
import { words } from "./words";

const say = words.sight;

export type Sightline = Schemas["Sightline"];
export type SightSet = "all" | "sections" | "ready" | "buses" | "stems";

/** Which rows and buses show, and how. */
export interface Shown {
  only: ReadonlySet<Id> | null; // null shows everybody
  order: Sightline["order"];
  pinned: readonly Id[];
}

export const sightOf = (sheet: Sheet, id: Id | null) => sheet.sightlines.find((s) => s.id === id);

const nobody: ReadonlySet<Id> = new Set();
const none: readonly Id[] = [];

/** useShown is who shows: along the sightline that is chosen, and ready only
 * while that is asked for. It stays the same while nobody comes or goes. */
export function useShown(): Shown {
  const sheet = useApp((s) => s.sheet)!;
  const sight = useApp((s) => s.sight);
  const line = sightOf(sheet, sight);
  const readyOnly = useApp((s) => s.readyOnly);
  const asideOnly = useApp((s) => s.asideOnly);
  const wanted = line?.match?.state ?? "";
  const states = useApp((s) => (wanted || readyOnly ? s.states : null));
  const ready = useRef<ReadonlySet<Id>>(nobody);
  if (readyOnly && states) ready.current = readyOf(states, ready.current);
  const now = ready.current;
  const before = useRef<ReadonlySet<Id> | null>(null);
  return useMemo(() => {
    const all = things(sheet.instruments);
    const pinned = all.flatMap((i) => (i.pinned && !i.aside && !asideOnly ? [i.id] : []));
    let only: ReadonlySet<Id> | null = null;
    if (line || readyOnly || asideOnly || all.some((i) => i.aside)) {
      const seen = new Set<Id>();
      for (const id of sheet.instruments.order) {
        if ((sheet.instruments.byId.get(id)?.aside ?? false) !== asideOnly) continue;
        if (line && !sheet.facts.get(id)?.sights?.includes(line.id)) continue;
        if (wanted && !sheet.instruments.byId.get(id)?.pinned && (states?.get(id)?.state ?? "tacet") !== wanted)
          continue;
        if (readyOnly && !now.has(id)) continue;
        seen.add(id);
      }
      only = same(before.current, seen) ? before.current! : seen;
    }
    before.current = only;
    return { only, order: line?.order, pinned: pinned.length > 0 ? pinned : none };
  }, [sheet.instruments, sheet.facts, line, wanted ? states : null, readyOnly, asideOnly, now]);
}

const same = (a: ReadonlySet<Id> | null, b: ReadonlySet<Id>) =>
  a !== null && a.size === b.size && [...b].every((id) => a.has(id));

/** look switches to a sightline, or to everything; leaves, folds and widths
 * follow it. */
export function look(id: Id | null) {
  const line = sightOf(get().sheet!, id);
  const open = inOrder(line?.leaves ?? []);
  if (open.length > 0) remember("open", open);
  set((s) => ({
    sight: line ? line.id : null,
    asideOnly: false,
    ...(line?.folded ? { folded: new Set(line.folded) } : {}),
    ...(line?.fold ? { fold: line.fold } : {}),
    ...(open.length > 0 ? { open } : {}),
    ...(line?.widths ? { widths: { ...s.widths, ...line.widths } } : {}),
  }));
}

/** lookAside shows only what is set aside. */
export const lookAside = () => set({ sight: null, asideOnly: true });

/** lookOn goes to the next sightline, or the one before; everything is one of
 * them. */
export function lookOn(by: 1 | -1) {
  const { sheet, sight } = get();
  const all = [null, ...sheet!.sightlines.map((s) => s.id)];
  look(all[(all.indexOf(sight) + by + all.length) % all.length]!);
}

/** lookByKey switches to the sightline with a digit; 0 is everything. */
export function lookByKey(digit: number): boolean {
  const line = get().sheet!.sightlines.find((s) => s.key === digit);
  if (digit !== 0 && !line) return false;
  look(line?.id ?? null);
  return true;
}

/** arrangement is how things show now, to be kept in a sightline. */
export function arrangement(): Partial<Sightline> {
  const { open, folded, widths, fold, sheet } = get();
  const here = [...folded].filter((id) => sheet!.sections.byId.has(id));
  return {
    leaves: [...open],
    widths: Object.fromEntries(open.map((x) => [x, Number(widths[x].toFixed(3))])),
    ...(here.length > 0 ? { folded: here } : {}),
    ...(fold ? { fold } : {}),
  };
}

export const putSightlines = (sightlines: readonly Sightline[], base?: number) =>
  change({ kind: "set-sightlines", sightlines: [...sightlines] }, base);

/** keepSightline puts a sightline in its place, or last. */
export async function keepSightline(line: Sightline, base?: number) {
  const list = get().sheet!.sightlines;
  const next = list.some((s) => s.id === line.id) ? list.map((s) => (s.id === line.id ? line : s)) : [...list, line];
  const done = await putSightlines(next, base);
  if (done) tell(say.kept(line.name));
  return done;
}

export async function forgetSightline(id: Id) {
  const done = await putSightlines(get().sheet!.sightlines.filter((s) => s.id !== id));
  if (done && get().sight === id) look(null);
}

/** makeSet makes sightlines in one go, and looks along the first of them. */
export async function makeSet(sets: SightSet[]) {
  const before = new Set(get().sheet!.sightlines.map((s) => s.id));
  const fold = get().fold;
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/sightlines/set", { ...at(), body: { sets, ...(fold ? { fold } : {}) } })),
  );
  if (!done) return;
  once(done.revision, () => {
    const made = get().sheet!.sightlines.filter((s) => !before.has(s.id));
    if (!made[0]) return tell(say.thereIsASightline);
    tell(made.length === 1 ? say.made(made[0].name) : say.madeSightlinesVGoes(made.length));
    look(made[0].id);
  });
}

/** whereShown tells along which sightlines a row is seen. */
export function whereShown(id: Id) {
  const { sheet } = get();
  const sights = sheet!.facts.get(id)?.sights ?? [];
  const names = sheet!.sightlines
    .filter((s) => sights.includes(s.id))
    .map((s) => (s.match?.state ? say.while(s.name, s.match.state) : s.name));
  const name = sheet!.instruments.byId.get(id)?.name ?? "";
  tell(names.length > 0 ? say.showsAlong(name, names.join(", ")) : say.showsAlongNoSightline(name));
}
