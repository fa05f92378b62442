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

/** The kinds of bus, in the order sound meets them. */
export const busKinds: Record<Kind, BusKind> = {
  group: { words: say.group, many: say.groups, made: true, sums: true, sight: true },
  return: { words: say.returnFedBySends, many: say.returns, made: true, sends: true, sight: true, process: "reverb" },
  stem: { words: say.stem, many: say.stems, made: true, stem: true, sight: true },
  mix: { words: say.mix, many: say.mixes, beyond: true, only: true },
  print: { words: say.print, many: say.prints, beyond: true },
  speakers: { words: say.speakers, many: say.speakers, made: true, beyond: true, last: true },
};

/** The kinds of which something holds, in order. */
export function busKindsThat(holds: (is: BusKind) => unknown): Kind[] {
  return (Object.keys(busKinds) as Kind[]).filter((kind) => holds(busKinds[kind]));
}

/** A kind of bus by its name; undefined for what is not a bus. */
export const busKind = (name: string): BusKind | undefined => busKinds[name as Kind];

/** The kinds that a sightline can show. */
export const sightKinds = busKindsThat((is) => is.sight) as NonNullable<Schemas["Sightline"]["buses"]>;
