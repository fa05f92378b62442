import { useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { takeWeights } from "../../model/balance";
import { select, useApp } from "../../model/store";
import { db } from "../../model/template";
import { ofMixes, Scale, ScaleHead } from "./Scale";
import { words } from "./words";

const say = words.strengthsView;

type Weight = Schemas["GroupWeight"];

/** StrengthsView weighs groups against each other in a chord of all, and proposes their
 * faders by the table of relative strengths. */
export function StrengthsView({ weights }: { weights: readonly Weight[] }) {
  const sheet = useApp((s) => s.sheet)!;
  const [left, setLeft] = useState<ReadonlySet<Id>>(new Set()); // those a person leaves as they are
  const differ = weights.filter((w) => w.from !== w.to);
  const chosen = differ.filter((w) => !left.has(w.group));
  if (weights.length === 0) return <p className="max-w-[60ch] px-3 py-3 text-soft">{say.noGroupHoldsWoodwindsBrass}</p>;
  const scale = 300;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-3 py-2" data-part="strengths">
      <div className="mb-2 flex items-start gap-4">
        <p className="max-w-[70ch] text-soft">{say.atForteOneTrumpet}</p>
        <button
          type="button"
          className="button button-main ml-auto shrink-0"
          disabled={chosen.length === 0}
          onClick={() => void takeWeights(chosen.map((w) => w.group))}
        >
          {say.setFaders(chosen.length)}
        </button>
      </div>
      <table className="border-collapse">
        <thead>
          <tr className="text-soft">
            <th className="pr-4 text-left font-normal">{say.group}</th>
            <th className="pr-4 text-right font-normal">{say.desks}</th>
            <th className="pr-4 text-right font-normal">{say.strength}</th>
            <th className="pr-4 text-right font-normal">{say.fader}</th>
            <th className="pr-4 text-left font-normal">{say.proposed}</th>
            <th className="font-normal">
              <ScaleHead width={scale} workingDb={0} range={ofMixes} />
            </th>
          </tr>
        </thead>
        <tbody>
          {weights.map((w) => {
            const group = sheet.buses.byId.get(w.group);
            const takes = w.from !== w.to;
            return (
              <tr key={w.group} className="border-line border-t" data-weight={group?.name}>
                <td className="py-0.5 pr-4">
                  <button type="button" className="link" onClick={() => select(w.rows, w.rows[0] ?? null)}>
                    {group?.name}
                  </button>
                </td>
                <td className="pr-4 text-right tabular-nums" title={say.rows(w.rows.length)}>
                  {w.desks}
                </td>
                <td className="pr-4 text-right tabular-nums" title={w.why}>
                  {w.strength}
                </td>
                <td className="pr-4 text-right tabular-nums">{db(w.from)}</td>
                <td className="pr-4 tabular-nums">
                  {takes ? (
                    <label className="flex items-center gap-2">
                      <input
                        type="checkbox"
                        checked={!left.has(w.group)}
                        onChange={(e) => {
                          const next = new Set(left);
                          if (e.target.checked) next.delete(w.group);
                          else next.add(w.group);
                          setLeft(next);
                        }}
                      />
                      {db(w.to)}
                    </label>
                  ) : (
                    <span className="text-soft">{say.asItIs}</span>
                  )}
                </td>
                <td>
                  <Scale
                    width={scale}
                    range={ofMixes}
                    soft={Math.min(w.now, w.then)}
                    level={w.then}
                    strong={Math.max(w.now, w.then)}
                    off={false}
                    workingDb={0}
                    tint="var(--tint-grey)"
                    label={say.dbfsNowAsProposed(group?.name ?? "", w.now.toFixed(1), w.then.toFixed(1))}
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
