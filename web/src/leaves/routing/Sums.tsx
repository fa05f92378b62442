import { useState } from "react";
import type { Schemas } from "../../model/api";
import { addWet } from "../../model/delivering";
import { select, set } from "../../model/store";
import { db } from "../../model/template";
import { words } from "./words";

const say = words.sums;

/** Sums says whether the stems of each fold add up to the mix, and where they
 * do not, which instruments differ and by how much. */
export function Sums({ sums }: { sums: Schemas["FoldSum"][] }) {
  const [open, setOpen] = useState<string | null>(null);
  return (
    <div className="max-h-[30%] shrink-0 overflow-y-auto border-line border-t px-3 py-2" data-part="sums">
      {sums
        .filter((s) => s.stems > 0)
        .map((s) => (
          <div key={s.fold}>
            {s.addsUp ? (
              <p>
                <strong className="font-serif">{say.stemsAddUp(s.stems)}</strong>
                <span className="text-soft">
                  {" "}
                  {say.foldTheDrySound(s.name, s.dryRows, s.wetRows > 0 ? say.theWetSoundOf(s.wetRows) : "")}
                </span>
              </p>
            ) : (
              <>
                <p>
                  <strong className="text-accent">{say.theFoldDoesNotAdd(s.name)}</strong>{" "}
                  {say.waysDifferByUp(s.mismatches, db(s.largestDb))}{" "}
                  <button
                    type="button"
                    className="link"
                    aria-expanded={open === s.fold}
                    onClick={() => setOpen(open === s.fold ? null : s.fold)}
                  >
                    {say.which}
                  </button>{" "}
                  <button type="button" className="link" onClick={() => set({ dialog: "marks" })}>
                    {say.fixIt}
                  </button>
                </p>
                {open === s.fold && <Differ sum={s} />}
              </>
            )}
            {s.without.map((w) => (
              <p key={w.stem} data-part="without">
                {say.theWetSoundOfInstruments(w.rows, w.name, s.name, w.home ? say.carriesIt(w.home) : "")}{" "}
                <button type="button" className="link" onClick={() => void addWet(w.stem)}>
                  {say.addAWetStem}
                </button>
              </p>
            ))}
          </div>
        ))}
    </div>
  );
}

function Differ({ sum }: { sum: Schemas["FoldSum"] }) {
  const level = (x: number) => (x <= -400 ? say.silent : db(x));
  return (
    <ul className="my-1" data-part="differ">
      {sum.differ.map((d) => (
        <li key={`${d.id}${d.chain}`} className="grid h-6 grid-cols-[1fr_1fr_110px_110px] items-center gap-2">
          <button type="button" className="truncate text-left" onClick={() => select([d.id], d.id)}>
            {d.name}
          </button>
          <span className="truncate text-soft">{d.chain}</span>
          <span className="text-right">{say.stems(level(d.stemsDb))}</span>
          <span className="text-right">{say.mix(level(d.mixDb))}</span>
        </li>
      ))}
      {sum.mismatches > sum.differ.length && (
        <li className="text-soft">{say.andMore(sum.mismatches - sum.differ.length)}</li>
      )}
    </ul>
  );
}
