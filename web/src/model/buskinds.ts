import type { Bus, Schemas } from "./api";
import { words } from "./words";

const say = words.buskinds;

type Kind = Bus["kind"];

/** What the interface has to know of a kind of bus. What it computes with is said in
 * the core (`template.BusTypes`); tsc fails here when the contract gets another kind. */
interface BusKind {
  words: string; // in a menu
  many: string; // several of it
  made?: true; // people make it by hand
  sends?: true; // it is fed by sends, taken before the fader
  stem?: true; // it belongs to a fold
  sums?: true; // it stands on the dry way between rows and stems
  beyond?: true; // it lies beyond the stems
  only?: true; // there is exactly one
  last?: true; // nothing comes after it
  sight?: true; // a sightline can show it
  process?: string; // what a new one does
}

const called = (kind: Kind) => ({ words: say.one[kind], many: say.many[kind] });

/** The kinds of bus, in the order sound meets them. */
export const busKinds: Record<Kind, BusKind> = {
  group: { ...called("group"), made: true, sums: true, sight: true },
  return: { ...called("return"), made: true, sends: true, sight: true, process: "reverb" },
  stem: { ...called("stem"), made: true, stem: true, sight: true },
  mix: { ...called("mix"), beyond: true, only: true },
  print: { ...called("print"), beyond: true },
  speakers: { ...called("speakers"), made: true, beyond: true, last: true },
};

/** The kinds of which something holds, in order. */
export function busKindsThat(holds: (is: BusKind) => unknown): Kind[] {
  return (Object.keys(busKinds) as Kind[]).filter((kind) => holds(busKinds[kind]));
}

/** A kind of bus by its name; undefined for what is not a bus. */
export const busKind = (name: string): BusKind | undefined => busKinds[name as Kind];

/** The kinds that a sightline can show. */
export const sightKinds = busKindsThat((is) => is.sight) as NonNullable<Schemas["Sightline"]["buses"]>;
