import { createStore, useStore } from "zustand";
import type { Mapping } from "../../model/catalogue";
import { tell } from "../../model/store";

const held = createStore<{ held: { name: string; map: Mapping[] } | null }>(() => ({ held: null }));

/** clipboard holds an articulation map that is copied from patch to patch. */
export const clipboard = {
  copy(name: string, map: Mapping[]) {
    held.setState({ held: { name, map } });
    tell(`The map of ${name} is copied; choose another patch to give it to.`);
  },
  use: () => useStore(held, (s) => s.held),
};
