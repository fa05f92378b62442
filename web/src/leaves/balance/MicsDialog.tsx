import { useEffect, useState } from "react";
import { listenThrough, type Microphones, microphones } from "../../model/balance";
import { get, useApp } from "../../model/store";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.micsDialog;

const figure = (x: number, unit: string) => `${x.toFixed(1).replace("-", "−")} ${unit}`;

/** MicsDialog shows which microphone positions bring a row nearest to the others of its kind,
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
    <Floating title={say.microphonesOf(row.name)} open onOpenChange={close} className="w-[560px]">
      <p className="mb-2 text-soft">{say.eachPositionIsMeasuredAlone}</p>
      {!list && <p role="status">{say.measuring}</p>}
      {list && (
        <table className="w-full border-collapse" data-part="microphones">
          <thead>
            <tr className="text-soft">
              <th className="py-1 text-left font-normal">{say.position}</th>
              <th className="text-right font-normal">{say.level}</th>
              <th className="text-right font-normal">{say.decay}</th>
              <th className="text-right font-normal">{say.tone}</th>
              <th className="text-right font-normal">{say.apart}</th>
              <th aria-label={say.take} />
            </tr>
          </thead>
          <tbody>
            {list.map((m) => {
              const name = m.names.join(say.and) || say.all;
              return (
                <tr key={name} className="border-line border-t" data-mics={name}>
                  <td className="py-1">
                    {name} {m.now && <span className="text-soft">{say.now}</span>}
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
                        aria-label={say.takeName(name)}
                        onClick={() => void listenThrough(id, m.names).then((done) => done && close())}
                      >
                        {say.take}
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
