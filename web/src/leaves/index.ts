import { balance } from "./balance/leaf";
import { calls } from "./calls/leaf";
import { cues } from "./cues/leaf";
import { deliver } from "./deliver/leaf";
import type { Leaf } from "./leaf";
import { library } from "./library/leaf";
import { orchestra } from "./orchestra/leaf";
import { print } from "./print/leaf";
import { routing } from "./routing/leaf";
import { seating } from "./seating/leaf";

/** The leaves in working order. A new one has its folder, and one line here. */
const all = [deliver, library, orchestra, seating, routing, balance, calls, cues, print] as const;

export type LeafName = (typeof all)[number]["name"];
export type LeafDialog = { [K in (typeof all)[number] as K["name"]]: keyof K["dialogs"] }[LeafName];

export const leaves: readonly Leaf<LeafName>[] = all;

export const leafOf = (name: LeafName): Leaf<LeafName> => leaves.find((l) => l.name === name)!;
