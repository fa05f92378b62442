import { useState } from "react";
import { furnish } from "../model/furnishing";
import { select, show, useApp } from "../model/store";
import { mib } from "../model/template";
import { Floating } from "./Floating";
import { ReadyFields, readyWish } from "./ReadyFields";
import { words } from "./words";

/** ReadyDialog makes the open template ready to play. */
export function ReadyDialog({ close }: { close: () => void }) {
  const machines = useApp((s) => s.sheet!.machines.order.length);
  const [wish, setWish] = useState({ ...readyWish, stems: "" });
  return (
    <Floating title={words.readyDialog.makeItReadyToPlay} open onOpenChange={close} className="w-[640px]">
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void furnish(wish);
        }}
      >
        <ReadyFields wish={wish} change={setWish} asTheyAre={words.readyDialog.asTheyAre} />
        <p className="text-soft">{words.readyDialog.addAMachineInSeating(machines)}</p>
        <button type="submit" className="button button-main self-end">
          {words.readyDialog.makeItReady}
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
    is.filled > 0 && words.readyDialog.rowsPlayNowFrom(is.filled, is.libraries.join(", ")),
    is.joined > 0 && words.readyDialog.rowsWereNotNeeded(is.joined),
    is.stems > 0 && words.readyDialog.stemsMade(is.stems),
    is.seated > 0 && words.readyDialog.rowsGotASeat(is.seated),
    is.unseated > 0 && words.readyDialog.rowsFoundNoSeat(is.unseated),
    is.opening > 0 && words.readyDialog.theOpeningCallHoldsRows(is.opening, mib(is.openingMib)),
  ].filter((l) => l !== false);
  return (
    <Floating title={words.readyDialog.readyToPlay} open onOpenChange={close} className="w-[520px]">
      <ul className="flex flex-col gap-1" data-part="furnished">
        {lines.map((l) => (
          <li key={l}>{l}</li>
        ))}
        {lines.length === 0 && <li>{words.readyDialog.nothingWasLeftToDo}</li>}
      </ul>
      {is.free.length > 0 && (
        <>
          <p className="mt-2">
            {words.readyDialog.rowsStayFree(is.free.length)}{" "}
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
              {words.readyDialog.selectThem}
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
        {words.readyDialog.done}
      </button>
    </Floating>
  );
}
