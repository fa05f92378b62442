import { createStore, useStore } from "zustand";
import type { Mapping } from "../../model/catalogue";
import { tell } from "../../model/store";
import { words } from "./words";

const say = words.clipboard;

const held = createStore<{ held: { name: string; map: Mapping[] } | null }>(() => ({ held: null }));

/** clipboard holds an articulation map that is copied from patch to patch. */
export const clipboard = {
  copy(name: string, map: Mapping[]) {
    held.setState({ held: { name, map } });
    tell(say.theMapOfIsCopied(name));
  },
  use: () => useStore(held, (s) => s.held),
};
