import { leaves } from "../leaves";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.keyMap;

/** All keys: those of the shell around those of the leaves, in working order. */
const keys = (): readonly (readonly [string, string])[] => [
  [say.alt(leaves.map((l) => l.number).join(", ")), say.unfoldWithShiftBeside(leaves.map((l) => l.title).join(", "))],
  ["Ctrl K or /", say.findInstrumentsArticulationsSectionsStems],
  ...leaves.flatMap((l) => l.keys ?? []),
  ["I", say.theCardOfTheSelected],
  ["H, Shift H", say.playAndHearTheSelection],
  ["Space", say.playOrPauseTheOpen],
  ["Escape", say.stopEverythingThatSounds],
  ["Ctrl Z, Ctrl Shift Z", say.undoRedo],
  [".", say.theMarksAndTheirRemedies],
  ["F1", say.theGuideAtThePage],
  [",", say.closeTheHint],
  ["?", say.thisList],
];

export function KeyMap({ close }: { close: () => void }) {
  return (
    <Floating title={say.keys} open onOpenChange={close} className="w-[560px]">
      <dl className="grid grid-cols-[150px_1fr] gap-y-1.5 overflow-y-auto">
        {keys().map(([key, does]) => (
          <div key={key} className="contents">
            <dt className="font-semibold">{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </Floating>
  );
}
