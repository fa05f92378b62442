import type { LeafName } from "../leaves";

/** order is the leaves' working order, once they are registered: the model knows no
 * leaf by itself, only the types of their names. */
let order: readonly LeafName[] = [];

/** register makes the leaves known, in working order. */
export function register(leaves: readonly { name: LeafName }[]) {
  order = leaves.map((l) => l.name);
}

/** inOrder are those of some leaves that there are, in working order. */
export const inOrder = (names: readonly string[]): LeafName[] => order.filter((n) => names.includes(n));

/** isLeaf tells whether a name is a leaf's. */
export const isLeaf = (name: string): name is LeafName => (order as readonly string[]).includes(name);
