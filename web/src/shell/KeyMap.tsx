import { leaves } from "../leaves";
import { Floating } from "./Floating";

/** All keys: those of the shell around those of the leaves, in working order. */
const keys = (): readonly (readonly [string, string])[] => [
  [
    `Alt ${leaves.map((l) => l.number).join(", ")}`,
    `unfold ${leaves.map((l) => l.title).join(", ")}; with Shift, beside`,
  ],
  ["Ctrl K or /", "find instruments, articulations, sections, stems, machines, calls, commands"],
  ...leaves.flatMap((l) => l.keys ?? []),
  ["I", "the card of the selected row: what it is, its range, what plays it"],
  ["H, Shift H", "play and hear the selection; disarm every row"],
  ["Space", "play or pause the open score"],
  ["Escape", "stop everything that sounds"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo"],
  [".", "the marks and their remedies"],
  ["F1", "the guide, at the page of the leaf"],
  [",", "close the hint"],
  ["?", "this list"],
];

export function KeyMap({ close }: { close: () => void }) {
  return (
    <Floating title="Keys" open onOpenChange={close} className="w-[560px]">
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
