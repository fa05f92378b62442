import { useEffect } from "react";
import { leaves } from "../leaves";
import { again, call, duplicate, redo, undo } from "../model/changing";
import { closeHints, hintNow } from "../model/hints";
import { performing, rest, toggle } from "../model/performing";
import { lookByKey, lookOn } from "../model/sight";
import { arm, disarm, lettered, sounding, stop } from "../model/sounding";
import { explain, get, set, unfold } from "../model/store";

/** useKeys listens for the keys that work everywhere; keys of the sheet are
 * the Orchestra leaf's own. */
export function useKeys() {
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (e.defaultPrevented || typing(e)) return;
      if (anywhere(e) || toSheet(e)) e.preventDefault();
    };
    // Letters that play are taken before anybody else hears them.
    const playing = (e: KeyboardEvent) => {
      if (typing(e) || e.ctrlKey || e.metaKey || e.altKey) return;
      if (!lettered(e.code, e.type === "keydown")) return;
      e.preventDefault();
      e.stopPropagation();
    };
    addEventListener("keydown", playing, true);
    addEventListener("keyup", playing, true);
    addEventListener("keydown", down);
    return () => {
      removeEventListener("keydown", playing, true);
      removeEventListener("keyup", playing, true);
      removeEventListener("keydown", down);
    };
  }, []);
}

/** toSheet hands a key that nothing has taken to the sheet, when nothing else
 * has the focus. */
function toSheet(e: KeyboardEvent): boolean {
  const sheet = document.querySelector<HTMLElement>("[role=grid]");
  if (!sheet || e.target !== document.body || e.key === "Tab") return false;
  sheet.focus();
  const { key, code, shiftKey, ctrlKey, metaKey, altKey } = e;
  const again = new KeyboardEvent("keydown", {
    key,
    code,
    shiftKey,
    ctrlKey,
    metaKey,
    altKey,
    bubbles: true,
    cancelable: true,
  });
  return !sheet.dispatchEvent(again);
}

/** stops tells whether a key stops what sounds, wherever it is pressed but in a text. */
const stops = (e: KeyboardEvent) =>
  e.key === "Escape" && (sounding.getState().open || performing.getState().state !== "still");

/** writes tells whether an element takes text. */
const writes = (t: HTMLElement) => t.closest("select, input[type=range], input[type=checkbox]") === null;

/** typing tells whether a key belongs to a text field or an open dialog. */
function typing(e: KeyboardEvent): boolean {
  const t = e.target as HTMLElement;
  const text = t.closest("input, textarea, select, [contenteditable]") !== null && !(stops(e) && !writes(t));
  return (
    (text || get().dialog !== null || t.closest("[role=dialog], [role=menu]") !== null) && !(e.ctrlKey && e.key === "k")
  );
}

function anywhere(e: KeyboardEvent): boolean {
  const ctrl = e.ctrlKey || e.metaKey;
  const leaf = e.altKey && leaves.find((l) => e.code === `Digit${l.number}`);
  if (leaf) {
    unfold(leaf.name, e.shiftKey);
    return true;
  }
  if (e.key === "F1") {
    const { open } = get();
    const at = (e.target as Element).closest<HTMLElement>("[data-leaf]")?.dataset.leaf;
    explain(at ?? (open.length === 1 ? open[0]! : "start"));
    return true;
  }
  if (ctrl && e.key.toLowerCase() === "k") {
    set({ dialog: "finder" });
    return true;
  }
  if (ctrl && e.key.toLowerCase() === "z") {
    void (e.shiftKey ? redo() : undo());
    return true;
  }
  if (ctrl || e.altKey) return false;
  const ids = [...get().selection];
  if (/^[0-9]$/.test(e.key)) return lookByKey(Number(e.key));
  switch (e.key) {
    case "v":
    case "V":
      lookOn(e.shiftKey ? -1 : 1);
      return true;
    case "/":
      set({ dialog: "finder" });
      return true;
    case "?":
      set({ dialog: "keys" });
      return true;
    case ",": {
      const hint = hintNow();
      if (hint) closeHints([hint.id]);
      return hint !== null;
    }
    case ".":
      set({ dialog: "marks" });
      return true;
    case "i":
    case "I":
      if (ids.length) set({ card: !get().card });
      return ids.length > 0;
    case "h":
      if (ids.length) void arm(ids);
      return true;
    case "H":
      disarm();
      return true;
    case "Escape": {
      const open = sounding.getState().open || performing.getState().state !== "still";
      if (sounding.getState().open) stop();
      rest();
      return open;
    }
    case " ":
      if (performing.getState().name === "" || (e.target as HTMLElement).closest("button, [role=button]")) return false;
      toggle();
      return true;
    case "c":
    case "C":
      if (ids.length) void call(ids, e.shiftKey ? "solo" : "call");
      return true;
    case "x":
    case "X":
      if (ids.length) void call(ids, "rest");
      return true;
    case "d":
    case "D": // capital letters may be locked
      if (ids.length) void (e.shiftKey ? again(ids) : duplicate(ids));
      return true;
  }
  return false;
}
