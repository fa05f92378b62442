import type { ReactNode } from "react";
import type { Id, Schemas } from "../model/api";
import type { Sheet } from "../model/template";
import type { Action } from "../parts/Actions";
import { words } from "./words";

const say = words.leaf;

/** What a leaf brings along. Its folder says it once; everything around the leaves
 * reads it from here. */
export interface Leaf<N extends string = string, D extends string = string> {
  name: N;
  title: string;
  /** Its place in the working order; its key is Alt and the number. */
  number: number;
  /** Its share of the room beside another leaf. */
  width: number;
  Content: () => ReactNode;
  /** The one live figure on its spine. */
  figure: (sheet: Sheet, rig: ReadonlyMap<Id, Schemas["MachineState"]>) => string;
  /** The dialogs that belong to it, by name. */
  dialogs: Readonly<Record<D, (p: { close: () => void }) => ReactNode>>;
  /** What the finder finds of it: things by their name, and what is always there. */
  places?: (sheet: Sheet, asks: (...parts: string[]) => boolean) => Found[];
  doings?: (sheet: Sheet) => Found[];
  /** The things in it that a right click opens a menu for. An element shows one by its data-thing: the
   * kind and the ID. */
  things?: Readonly<Record<string, Thing>>;
  /** Its own keys, with what they do. */
  keys?: readonly (readonly [string, string])[];
}

/** Thing is something with a menu of its own. */
export interface Thing {
  /** Choosing it is what a right click does first. */
  choose: (id: Id) => void;
  /** What can be done with what is chosen. */
  actions: () => readonly Action[];
}

/** Found is what the finder lists. */
export interface Found {
  key: string;
  kind: string;
  text: string;
  note: string;
  readonly rows?: Id[]; // that can be called, rested and selected
  run: () => void;
}

/** leaf keeps the names of a leaf and of its dialogs as types. */
export const leaf = <N extends string, D extends string>(l: Leaf<N, D>) => l;

/** command is something the finder can always do. */
export const command = (text: string, note: string, run: () => void): Found => ({
  key: text,
  kind: say.command,
  text,
  note,
  run,
});
