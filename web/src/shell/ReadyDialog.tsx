import { useState } from "react";
import { furnish } from "../model/furnishing";
import { select, show, useApp } from "../model/store";
import { mib, plural } from "../model/template";
import { Floating } from "./Floating";
import { ReadyFields, readyWish } from "./ReadyFields";

/** ReadyDialog makes the open template ready to play. */
export function ReadyDialog({ close }: { close: () => void }) {
  const machines = useApp((s) => s.sheet!.machines.order.length);
  const [wish, setWish] = useState({ ...readyWish, stems: "" });
  return (
    <Floating title="Make it ready to play" open onOpenChange={close} className="w-[640px]">
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void furnish(wish);
        }}
      >
        <ReadyFields wish={wish} change={setWish} asTheyAre="As they are" />
        <p className="text-soft">
          {machines > 0
            ? "Rows without a seat get one. "
            : "Add a machine in Seating first, if the rows are to be called. "}
          Free rows that say what they are for, such as “Flute 1 long”, are filled; all of it is one change.
        </p>
        <button type="submit" className="button button-main self-end">
          Make it ready
        </button>
      </form>
    </Floating>
  );
}

/** FurnishedDialog tells what making it ready came to. */
export function FurnishedDialog({ close }: { close: () => void }) {
  const is = useApp((s) => s.furnished);
  if (!is) return null;
  const lines = [
    is.filled > 0 &&
      `${plural(is.filled, "row")} ${is.filled === 1 ? "plays" : "play"} now, from ${is.libraries.join(", ")}.`,
    is.joined > 0 &&
      `${plural(is.joined, "row")} ${is.joined === 1 ? "was" : "were"} not needed: one patch plays everything its desk does, so the desk has one row.`,
    is.stems > 0 && `${plural(is.stems, "stem")} made.`,
    is.seated > 0 && `${plural(is.seated, "row")} got a seat.`,
    is.unseated > 0 && `${plural(is.unseated, "row")} found no seat: the machines are full.`,
    is.opening > 0 && `The opening call holds ${plural(is.opening, "row")}, ${mib(is.openingMib)}, and comes in now.`,
  ].filter((l) => l !== false);
  return (
    <Floating title="Ready to play" open onOpenChange={close} className="w-[520px]">
      <ul className="flex flex-col gap-1" data-part="furnished">
        {lines.map((l) => (
          <li key={l}>{l}</li>
        ))}
        {lines.length === 0 && <li>Nothing was left to do.</li>}
      </ul>
      {is.free.length > 0 && (
        <>
          <p className="mt-2">
            {plural(is.free.length, "row")} {is.free.length === 1 ? "stays" : "stay"} free.{" "}
            <button
              type="button"
              className="link"
              onClick={() => {
                show("orchestra");
                select(
                  is.free.map((f) => f.row),
                  is.free[0]!.row,
                );
                close();
              }}
            >
              Select them
            </button>
          </p>
          <ul className="mt-1 max-h-48 overflow-y-auto text-soft">
            {is.free.map((f) => (
              <li key={f.row}>
                {f.name}: {f.why}
              </li>
            ))}
          </ul>
        </>
      )}
      <button type="button" className="button button-main mt-3 self-end" onClick={close}>
        Done
      </button>
    </Floating>
  );
}
