import { type KeyboardEvent, useRef } from "react";
import type { Id } from "../../model/api";
import { addRows, change } from "../../model/changing";
import { copyRows } from "../../model/delivering";
import { between, type Line } from "../../model/score";
import { get, select, set, toggleFold } from "../../model/store";
import { mostNested } from "../../model/template";
import type { Field } from "./fields";

interface Sheet {
  all: readonly Line[];
  only: ReadonlySet<Id> | null; // who shows; null for everybody
  shown: Field[];
  column: number;
  setColumn: (n: number) => void;
  startEdit: (id: Id, field: string) => void;
  ask: (field: string) => void;
}

const going: Record<string, string> = { s: "stem", m: "machine", p: "library" };

/** useSheetKeys are the keys of the sheet itself. */
export function useSheetKeys({ all, only, shown, column, setColumn, startEdit, ask }: Sheet) {
  const go = useRef(false); // G was pressed
  return (e: KeyboardEvent) => {
    if (e.defaultPrevented || (e.target as HTMLElement).closest("input")) return;
    const was = go.current;
    go.current = false;
    if (was && going[e.key] && get().selection.size) ask(going[e.key]!);
    else if (!(e.altKey ? moved(e.key, all) : stepped(e, all) || worked(e))) return;
    e.preventDefault();
    e.stopPropagation();
  };

  function worked(e: KeyboardEvent): boolean {
    const { cursor, selection, sheet } = get();
    if (e.key === "a" && (e.ctrlKey || e.metaKey)) {
      select(only ? sheet!.instruments.order.filter((id) => only.has(id)) : sheet!.instruments.order, cursor);
      return true;
    }
    if ((e.ctrlKey || e.metaKey) && e.key === "c" && selection.size) {
      copyRows(sheet!.instruments.order.filter((id) => selection.has(id)));
      return true;
    }
    if ((e.ctrlKey || e.metaKey) && e.key === "v") {
      set({ dialog: "paste" });
      return true;
    }
    if (e.ctrlKey || e.metaKey) return false;
    switch (e.key) {
      case "ArrowLeft":
      case "ArrowRight":
        setColumn(Math.max(0, Math.min(shown.length - 1, column + (e.key === "ArrowLeft" ? -1 : 1))));
        return true;
      case "e":
      case "Enter":
        if (cursor) startEdit(cursor, shown[column]?.key ?? "name");
        return true;
      case "g":
        go.current = true;
        return true;
      case "f": {
        const spares = sheet!.instruments.order.filter((id) => sheet!.instruments.byId.get(id)!.kind === "spare");
        const from = cursor ? sheet!.instruments.order.indexOf(cursor) : -1;
        const next = spares.find((id) => sheet!.instruments.order.indexOf(id) > from) ?? spares[0];
        if (next) select([next], next);
        return true;
      }
      case "N":
        void addRows("divider", 1, cursor, sheet!.sections.order[0]);
        return true;
      case "n":
        void addRows("sampled", 1, cursor, sheet!.sections.order[0]);
        return true;
      case "Delete":
        if (selection.size) void change({ kind: "delete", ids: [...selection] });
        return true;
      case "[":
      case "]":
      case "{":
      case "}": {
        const fold = e.key === "[" || e.key === "{";
        if (!e.shiftKey) return foldAt(cursor, fold);
        set({ folded: fold ? new Set(sheet!.sections.order) : new Set() });
        return true;
      }
    }
    return false;
  }
}

/** foldAt folds the cursor's section, then the one around it; or unfolds the
 * outermost that hides the cursor. */
function foldAt(cursor: Id | null, fold: boolean): boolean {
  const { sheet, folded } = get();
  const line: Id[] = []; // the cursor's section and those around it
  let at = cursor ? sheet!.instruments.byId.get(cursor)?.section : undefined;
  while (at && line.length < mostNested) {
    line.push(at);
    at = sheet!.sections.byId.get(at)?.parent;
  }
  const section = fold ? line.find((s) => !folded.has(s)) : line.findLast((s) => folded.has(s));
  if (section) toggleFold(section);
  return true;
}

/** stepped moves the cursor through the rows that show. From a row in a folded
 * section it goes on beside that section. */
function stepped(e: KeyboardEvent, all: readonly Line[]): boolean {
  if (e.ctrlKey || e.metaKey) return false;
  const rows = all.flatMap((l, n) => (l.kind === "row" ? [{ id: l.id, n }] : []));
  const { cursor, anchor } = get();
  const at = cursor ? rows.findIndex((r) => r.id === cursor) : -1;
  const line = at < 0 && cursor ? hiddenBy(cursor, all) : -1;
  const before = at >= 0 ? at - 1 : rows.findLastIndex((r) => r.n < line);
  const below = rows.findIndex((r) => r.n > line);
  const after = at >= 0 ? at + 1 : line < 0 ? 0 : below < 0 ? rows.length - 1 : below;
  const page = 20;
  const to: Record<string, number> = {
    ArrowDown: after,
    j: after,
    J: after,
    ArrowUp: before,
    k: before,
    K: before,
    PageDown: after + page - 1,
    PageUp: before - page + 1,
    Home: 0,
    End: rows.length - 1,
  };
  const next = to[e.key];
  if (next === undefined || rows.length === 0) return false;
  const id = rows[Math.max(0, Math.min(rows.length - 1, next))]!.id;
  if (e.shiftKey && anchor) select(between(all, anchor, id), id, anchor);
  else select([id], id);
  return true;
}

/** hiddenBy finds the line of the folded section that hides a row, or -1. */
function hiddenBy(row: Id, all: readonly Line[]): number {
  const { sheet } = get();
  const around = new Set<Id>();
  let at = sheet!.instruments.byId.get(row)?.section;
  while (at && around.size < 9) {
    around.add(at);
    at = sheet!.sections.byId.get(at)?.parent;
  }
  return all.findIndex((l) => l.kind === "section" && l.folded && around.has(l.section.id));
}

/** moved takes the selection one row up or down. */
function moved(key: string, all: readonly Line[]): boolean {
  if (key !== "ArrowUp" && key !== "ArrowDown") return false;
  const { selection, sheet } = get();
  const rows = all.flatMap((l) => (l.kind === "row" ? [l.id] : []));
  const chosen = rows.filter((id) => selection.has(id));
  if (chosen.length === 0) return true;
  const rest = rows.filter((id) => !selection.has(id));
  const edge = rows.indexOf(key === "ArrowUp" ? chosen[0]! : chosen.at(-1)!);
  const past = rows[key === "ArrowUp" ? edge - 1 : edge + 1];
  if (!past) return true;
  const section = sheet!.instruments.byId.get(past)!.section;
  const before = key === "ArrowUp" ? past : rest[rest.indexOf(past) + 1];
  const same = before && sheet!.instruments.byId.get(before)?.section === section;
  void change({ kind: "move", ids: chosen, section, ...(same ? { before } : {}) });
  return true;
}
