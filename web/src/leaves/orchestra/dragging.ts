import type { DragEvent } from "react";
import type { Id } from "../../model/api";
import { change } from "../../model/changing";
import { select, tell } from "../../model/store";

/** dragged reads the rows that are dropped; null when it is something else. */
export function dragged(e: DragEvent): string[] | null {
  const data = e.dataTransfer.getData("text/fanfold-rows");
  if (!data) return null;
  e.preventDefault();
  return JSON.parse(data) as string[];
}

/** moveRows drops the dragged rows before another one. */
export function moveRows(ids: Id[], section: Id, before: Id | undefined) {
  if (before && ids.includes(before)) return tell("Rows can not move before one of themselves.", "refused");
  select(ids, ids[0] ?? null);
  void change({ kind: "move", ids, section, ...(before ? { before } : {}) });
}
