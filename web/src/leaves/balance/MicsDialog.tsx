import { useEffect, useState } from "react";
import { listenThrough, type Microphones, microphones } from "../../model/balance";
import { get, useApp } from "../../model/store";
import { Floating } from "../../shell/Floating";

const figure = (x: number, unit: string) => `${x.toFixed(1).replace("-", "−")} ${unit}`;

/** MicsDialog tells which microphone positions bring a row nearest to the others of its kind,
 * and lets it be heard through them. */
export function MicsDialog({ close }: { close: () => void }) {
  const [id] = useState(() => get().anchor ?? [...get().selection][0] ?? "");
  const row = useApp((s) => s.sheet?.instruments.byId.get(id));
  const [list, setList] = useState<readonly Microphones[] | null>();
  useEffect(() => {
    void microphones(id).then((x) => setList(x ?? null));
  }, [id]);
  useEffect(() => {
    if (list === null || !row) close(); // why is told
  }, [list, row, close]);
  if (!row) return null;
  return (
    <Floating title={`Microphones of ${row.name}`} open onOpenChange={close} className="w-[560px]">
      <p className="mb-2 text-soft">
        Each position is measured alone and compared with similar rows: how far its tone is from theirs, and how much
        longer or shorter it rings. The closest comes first.
      </p>
      {!list && <p role="status">Measuring…</p>}
      {list && (
        <table className="w-full border-collapse" data-part="microphones">
          <thead>
            <tr className="text-soft">
              <th className="py-1 text-left font-normal">Position</th>
              <th className="text-right font-normal">level</th>
              <th className="text-right font-normal">decay</th>
              <th className="text-right font-normal">tone</th>
              <th className="text-right font-normal">apart</th>
              <th aria-label="Take" />
            </tr>
          </thead>
          <tbody>
            {list.map((m) => {
              const name = m.names.join(" and ") || "all";
              return (
                <tr key={name} className="border-line border-t" data-mics={name}>
                  <td className="py-1">
                    {name} {m.now && <span className="text-soft">now</span>}
                  </td>
                  <td className="text-right tabular-nums">{figure(m.level, "dBFS")}</td>
                  <td className="text-right tabular-nums">{m.decayS > 0 ? figure(m.decayS, "s") : "–"}</td>
                  <td className="text-right tabular-nums">{figure(m.tone, "dB")}</td>
                  <td className="text-right tabular-nums">{figure(m.apart, "dB")}</td>
                  <td className="w-20 text-right">
                    {!m.now && (
                      <button
                        type="button"
                        className="button h-6"
                        aria-label={`Take ${name}`}
                        onClick={() => void listenThrough(id, m.names).then((done) => done && close())}
                      >
                        Take
                      </button>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </Floating>
  );
}
