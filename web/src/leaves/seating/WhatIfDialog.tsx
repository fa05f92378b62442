import { useState } from "react";
import type { Id } from "../../model/api";
import { fewestMoves, figures, figureText, type Moves, type Outcome, whatIf } from "../../model/seating";
import { tell, useApp } from "../../model/store";
import { things } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.whatIfDialog;

type Kind = "gone" | "memory" | "another" | "library" | "fewer" | "free";

const kinds: [Kind, string][] = [
  ["gone", say.aMachineWereGone],
  ["memory", say.aMachineHadMoreMemory],
  ["another", say.thereWereAnotherMachineLike],
  ["library", say.aLibraryWereInstalledThere],
  ["fewer", say.oneRiserFewerWere],
  ["free", say.memoryShouldBeFreedThere],
];

/** WhatIfDialog supposes another rig and tells what the seating would become, or
 * finds the fewest moves for a wanted improvement. */
export function WhatIfDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [kind, setKind] = useState<Kind>("gone");
  const [machine, setMachine] = useState<Id>(sheet.machines.order[0] ?? "");
  const [library, setLibrary] = useState<Id>(sheet.libraries.order[0] ?? "");
  const [gib, setGib] = useState(16);
  const [outcome, setOutcome] = useState<Outcome | undefined>();
  const [moves, setMoves] = useState<Moves | undefined>();
  const wanted = kind === "fewer" || kind === "free";
  const forget = () => {
    setOutcome(undefined);
    setMoves(undefined);
  };
  const ask = async (take: boolean) => {
    const mib = gib * 1024;
    if (wanted) {
      const found = await fewestMoves({ kind: kind === "free" ? "memory" : "fewer", machine, mib, take });
      setMoves(found);
      if (found && take) {
        tell(`${found.text}.`);
        close();
      }
    } else setOutcome(await whatIf({ kind, machine, library, mib }));
  };
  return (
    <Floating title={say.whatIf} open onOpenChange={close} className="w-[560px]">
      <form
        className="flex min-h-0 flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void ask(false);
        }}
      >
        <div className="flex flex-wrap items-center gap-1.5" onChange={forget}>
          <select
            className="field"
            aria-label={say.whatIf}
            value={kind}
            onChange={(e) => setKind(e.target.value as Kind)}
          >
            {kinds.map(([k, text]) => (
              <option key={k} value={k}>
                {text}
              </option>
            ))}
          </select>
          {kind !== "fewer" && (
            <select
              className="field"
              aria-label={say.machine}
              value={machine}
              onChange={(e) => setMachine(e.target.value)}
            >
              {things(sheet.machines).map((m) => (
                <option key={m.id} value={m.id}>
                  {m.name}
                </option>
              ))}
            </select>
          )}
          {kind === "library" && (
            <select
              className="field"
              aria-label={say.library}
              value={library}
              onChange={(e) => setLibrary(e.target.value)}
            >
              {things(sheet.libraries).map((l) => (
                <option key={l.id} value={l.id}>
                  {l.name}
                </option>
              ))}
            </select>
          )}
          {(kind === "memory" || kind === "free") && (
            <label className="flex items-center gap-1">
              <input
                className="field w-20"
                type="number"
                min={0.1}
                step="any"
                aria-label={say.memoryGib}
                value={gib}
                onChange={(e) => setGib(Number(e.target.value))}
              />
              GiB
            </label>
          )}
          <button type="submit" className="button ml-auto">
            {wanted ? say.findTheMoves : say.suppose}
          </button>
        </div>
        {outcome && (
          <table className="w-full border-collapse" data-part="outcome">
            <thead>
              <tr className="text-left text-soft">
                <th aria-label={say.figure} />
                <th className="w-24 text-right font-normal">{say.now}</th>
                <th className="w-24 text-right font-normal">{say.planned}</th>
              </tr>
            </thead>
            <tbody>
              {figures.map(([key, text]) => (
                <tr key={key} className="border-line border-t">
                  <td className="py-1">{text}</td>
                  <td className="text-right tabular-nums">{figureText(key, outcome.now)}</td>
                  <td
                    className={`text-right tabular-nums ${outcome.now[key] === outcome.then[key] ? "" : "font-semibold"}`}
                  >
                    {figureText(key, outcome.then)}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {outcome && figures.every(([key]) => outcome.now[key] === outcome.then[key]) && (
          <p className="text-soft">{say.nothingWouldChange}</p>
        )}
        {outcome && outcome.unseated.length > 0 && (
          <p className="text-soft">
            {say.instrumentsWouldFindNoSeat(
              outcome.unseated.length,
              outcome.unseated[0]!.name,
              outcome.unseated[0]!.reason,
            )}
          </p>
        )}
        {moves && (
          <div className="min-h-0 overflow-y-auto" data-part="moves">
            <p className="mb-1">{moves.text}:</p>
            {moves.moves.map((m) => (
              <div key={m.id} className="flex gap-3 border-line border-t py-0.5">
                <span className="w-56 truncate">{m.name}</span>
                <span className="text-soft">{m.to}</span>
              </div>
            ))}
          </div>
        )}
      </form>
      {moves && (
        <div className="mt-3 flex justify-end">
          <button type="button" className="button button-main" onClick={() => void ask(true)}>
            {say.moveThem}
          </button>
        </div>
      )}
    </Floating>
  );
}
