import type { Schemas } from "../../model/api";

type Known = Pick<Schemas["Catalogue"], "libraries" | "rig">;

/** A library that names no machine is taken to be everywhere. */
export const has = (l: Schemas["Library"], machine: string) =>
  !l.machines?.length || l.machines.some((m) => m.toLowerCase() === machine.toLowerCase());

/** Whether a library is on this machine and on no other. */
export const alone = (cat: Known, l: Schemas["Library"], machine: string) =>
  has(l, machine) && (l.machines?.length ? l.machines : cat.rig).length === 1;

/** installed lists the libraries that come to a machine or leave it, as they will be. */
export function installed(cat: Known, was: string, name: string, moved: Record<string, boolean>) {
  const as = (m: string) => (m.toLowerCase() === was.toLowerCase() ? name : m);
  return cat.libraries
    .filter((l) => moved[l.id] !== undefined && moved[l.id] !== has(l, was))
    .map((l) => {
      const others = (l.machines?.length ? l.machines : cat.rig.map((m) => m.name)).map(as).filter((m) => m !== name);
      return { at: -1, value: { ...l, machines: moved[l.id] ? [...others, name] : others } };
    });
}
