import type { DragEvent } from "react";
import type { Id } from "../../model/api";
import { use } from "../../model/catalogue";
import { change } from "../../model/changing";
import { select, tell } from "../../model/store";
import { words } from "./words";

const say = words.dragging;

/** dragged reads the rows that are dropped; null when it is something else. */
export function dragged(e: DragEvent): string[] | null {
  const data = e.dataTransfer.getData("text/fanfold-rows");
  if (!data) return null;
  e.preventDefault();
  return JSON.parse(data) as string[];
}

/** carries tells whether rows or patches are being dragged. */
export const carries = (e: DragEvent) =>
  e.dataTransfer.types.includes("text/fanfold-rows") || e.dataTransfer.types.includes("text/fanfold-patches");

/** takePatches puts dropped patches of the Library to use; false when it is
 * something else that is dropped. */
export function takePatches(e: DragEvent, where: { section?: Id; before?: Id; onto?: Id }): boolean {
  const data = e.dataTransfer.getData("text/fanfold-patches");
  if (!data) return false;
  e.preventDefault();
  e.stopPropagation();
  void use(JSON.parse(data) as Id[], where);
  return true;
}

/** moveRows drops the dragged rows before another one. */
export function moveRows(ids: Id[], section: Id, before: Id | undefined) {
  if (before && ids.includes(before)) return tell(say.rowsCannotMoveBefore, "refused");
  select(ids, ids[0] ?? null);
  void change({ kind: "move", ids, section, ...(before ? { before } : {}) });
}
