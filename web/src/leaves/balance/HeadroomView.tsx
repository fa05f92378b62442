import type { Schemas } from "../../model/api";
import { select, useApp } from "../../model/store";
import { ofMixes, Scale, ScaleHead } from "./Scale";

/** HeadroomView tells what each call comes to in the mix when all of it plays. */
export function HeadroomView({ calls }: { calls: readonly Schemas["Headroom"][] }) {
  const sheet = useApp((s) => s.sheet)!;
  const scale = 340;
  if (calls.length === 0)
    return <p className="px-3 py-3 text-soft">There is no call yet whose rows reach the mix; make one in Calls.</p>;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto px-3 py-2" data-part="headroom">
      <p className="mb-2 max-w-[70ch] text-soft">
        How loud the mix gets when all rows of a call play at once, dry: from medium notes to the peak expected of loud
        ones. Anything over full scale has to come off the faders of the rows, or off the mix. Rows that are not
        measured count as being at the working level.
      </p>
      <table className="border-collapse">
        <thead>
          <tr className="text-soft">
            <th className="pr-4 text-left font-normal">Call</th>
            <th className="pr-4 text-right font-normal">rows</th>
            <th className="font-normal">
              <ScaleHead width={scale} workingDb={0} range={ofMixes} />
            </th>
            <th className="pl-4 text-right font-normal">peak</th>
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
                <td className="pr-4 text-right tabular-nums" title={`${c.heard} of them were heard`}>
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
                    label={`Middle notes ${c.level.toFixed(1)} dBFS, strong ones ${c.strong.toFixed(1)}, peak ${c.peak.toFixed(1)}`}
                  />
                </td>
                <td className={`pl-4 text-right tabular-nums ${c.over > 0 ? "text-accent" : ""}`}>
                  {c.over > 0 ? `! ${c.over.toFixed(1)} dB over` : `${c.peak.toFixed(1).replace("-", "−")} dBFS`}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
