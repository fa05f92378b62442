import { createStore, useStore } from "zustand";

interface Chosen {
  id: string | null; // the print that is looked at
  delivery: string | null; // that is looked at instead
  against: string | null; // a print that it is compared with
  from: number; // s, what of it is seen
  to: number; // 0 is all of it
}

export const chosenPrint = createStore<Chosen>(() => ({
  id: null,
  delivery: null,
  against: null,
  from: 0,
  to: 0,
}));

export const useChosenPrint = <T>(pick: (s: Chosen) => T) => useStore(chosenPrint, pick);
