import type { Schemas } from "../../model/api";
import { select, useApp } from "../../model/store";
import { ofMixes, Scale, ScaleHead } from "./Scale";
import { words } from "./words";

const say = words.headroomView;

/** HeadroomView shows the level of each call in the mix when all of it plays. */
export function HeadroomView({ calls }: { calls: readonly Schemas["Headroom"][] }) {
  const sheet = useApp((s) => s.sheet)!;
  const scale = 340;
  if (calls.length === 0) return <p className="px-3 py-3 text-soft">{say.thereIsNoCallYet}</p>;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-3 py-2" data-part="headroom">
      <p className="mb-2 max-w-[70ch] text-soft">{say.howLoudTheMixGets}</p>
      <table className="border-collapse">
        <thead>
          <tr className="text-soft">
            <th className="pr-4 text-left font-normal">{say.call}</th>
            <th className="pr-4 text-right font-normal">{say.rows}</th>
            <th className="font-normal">
              <ScaleHead width={scale} workingDb={0} range={ofMixes} />
            </th>
            <th className="pl-4 text-right font-normal">{say.peak}</th>
          </tr>
        </thead>
        <tbody>
          {calls.map((c) => {
            const call = sheet.calls.byId.get(c.call);
            return (
              <tr key={c.call} className="border-line border-t" data-over={c.over > 0 || undefined}>
                <td className="py-0.5 pr-4">
                  <button
                    type="button"
                    className="link"
                    onClick={() => call && select(call.instruments, call.instruments[0] ?? null)}
                  >
                    {call?.name}
                  </button>
                </td>
                <td className="pr-4 text-right tabular-nums" title={say.ofThemWereHeard(c.heard)}>
                  {c.rows}
                </td>
                <td>
                  <Scale
                    width={scale}
                    range={ofMixes}
                    soft={c.level}
                    level={c.strong}
                    strong={c.peak}
                    off={c.over > 0}
                    workingDb={0}
                    tint="var(--tint-grey)"
                    label={say.middleNotesDbfsStrongOnes(c.level.toFixed(1), c.strong.toFixed(1), c.peak.toFixed(1))}
                  />
                </td>
                <td className={`pl-4 text-right tabular-nums ${c.over > 0 ? "text-accent" : ""}`}>
                  {c.over > 0 ? say.dbOver(c.over.toFixed(1)) : `${c.peak.toFixed(1).replace("-", "−")} dBFS`}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
