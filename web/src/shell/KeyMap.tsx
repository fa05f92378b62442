import { Floating } from "./Floating";

const keys: [string, string][] = [
  ["Alt 1, 2, 3, 4, 5, 7", "unfold Deliver, Library, Orchestra, Seating, Routing, Calls; with Shift, beside"],
  ["Ctrl K or /", "find instruments, articulations, sections, stems, machines, calls, commands"],
  ["J, K, ↑, ↓", "move through rows; Shift extends the selection"],
  ["1 to 9, 0", "look along the sightline with that digit; 0 shows everything"],
  ["V, Shift V", "the next sightline, the one before"],
  ["F", "the next free row"],
  ["Ctrl A", "select every row that shows"],
  ["Home, End", "first row, last row"],
  ["← →", "move through the fields of a row"],
  ["E", "edit the field under focus; Tab to the next, Enter to keep, Escape to leave"],
  ["C", "call the selection: ready"],
  ["X", "rest the selection: tacet"],
  ["Shift C", "call the selection, rest the others of its sections"],
  ["D", "duplicate with everything"],
  ["Shift D", "same again: another row on the same seat"],
  ["Ctrl C, Ctrl V", "copy rows; paste them with their routes, into another template too"],
  ["N", "new row below"],
  ["Delete", "delete the selection"],
  ["Alt ↑, Alt ↓", "move the selection"],
  ["G S, G M, G P", "set stem, machine, library of the selection"],
  ["[ and ]", "fold, unfold the section; with Shift, all"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo"],
  [".", "the marks and their remedies"],
  ["W, then Enter", "in Routing: take a wire at a place, connect it to another"],
  ["Enter", "in Library: use the chosen patches; in a field: set it"],
  ["?", "this list"],
];

export function KeyMap({ close }: { close: () => void }) {
  return (
    <Floating title="Keys" open onOpenChange={close} className="w-[560px]">
      <dl className="grid grid-cols-[150px_1fr] gap-y-1.5 overflow-y-auto">
        {keys.map(([key, does]) => (
          <div key={key} className="contents">
            <dt className="font-semibold">{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </Floating>
  );
}
