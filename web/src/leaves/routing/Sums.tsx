import { useState } from "react";
import type { Schemas } from "../../model/api";
import { addWet } from "../../model/delivering";
import { select, set } from "../../model/store";
import { db, plural } from "../../model/template";

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
                <strong className="font-serif">{plural(s.stems, "stem")} add up to the mix</strong>
                <span className="text-soft">
                  {" "}
                  · {s.name} fold, the dry sound of {plural(s.dryRows, "instrument")}
                  {s.wetRows > 0 ? `, the wet sound of ${s.wetRows}` : ""}
                </span>
              </p>
            ) : (
              <>
                <p>
                  <strong className="text-accent">The {s.name} fold does not add up:</strong>{" "}
                  {plural(s.mismatches, "way")} differ by up to {db(s.largestDb)} of full scale.{" "}
                  <button
                    type="button"
                    className="link"
                    aria-expanded={open === s.fold}
                    onClick={() => setOpen(open === s.fold ? null : s.fold)}
                  >
                    Which
                  </button>{" "}
                  <button type="button" className="link" onClick={() => set({ dialog: "marks" })}>
                    Fix it
                  </button>
                </p>
                {open === s.fold && <Differ sum={s} />}
              </>
            )}
            {s.without.map((w) => (
              <p key={w.stem} data-part="without">
                The wet sound of {plural(w.rows, "instrument")} of {w.name} is in no {s.name} stem
                {w.home ? `; ${w.home} carries it` : ""}.{" "}
                <button type="button" className="link" onClick={() => void addWet(w.stem)}>
                  Add a wet stem for it
                </button>
              </p>
            ))}
          </div>
        ))}
    </div>
  );
}

function Differ({ sum }: { sum: Schemas["FoldSum"] }) {
  const level = (x: number) => (x <= -400 ? "silent" : db(x));
  return (
    <ul className="my-1" data-part="differ">
      {sum.differ.map((d) => (
        <li key={`${d.id}${d.chain}`} className="grid h-6 grid-cols-[1fr_1fr_110px_110px] items-center gap-2">
          <button type="button" className="truncate text-left" onClick={() => select([d.id], d.id)}>
            {d.name}
          </button>
          <span className="truncate text-soft">{d.chain}</span>
          <span className="text-right">stems {level(d.stemsDb)}</span>
          <span className="text-right">mix {level(d.mixDb)}</span>
        </li>
      ))}
      {sum.mismatches > sum.differ.length && (
        <li className="text-soft">and {sum.mismatches - sum.differ.length} more</li>
      )}
    </ul>
  );
}
