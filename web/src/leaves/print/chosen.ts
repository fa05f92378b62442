import { createStore, useStore } from "zustand";

interface Chosen {
  id: string | null; // the print that is looked at
  from: number; // s, what of it is seen
  to: number; // 0 is all of it
}

export const chosenPrint = createStore<Chosen>(() => ({ id: null, from: 0, to: 0 }));

export const useChosenPrint = <T>(pick: (s: Chosen) => T) => useStore(chosenPrint, pick);
