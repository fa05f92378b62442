import { useEffect, useState } from "react";
import type { Id } from "../../model/api";
import { type LevelTrim, levelTrims, takeLevelTrims } from "../../model/balance";
import { get } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.trimsDialog;

const signed = (x: number) => `${x > 0 ? "+" : x < 0 ? "−" : ""}${Math.abs(x).toFixed(1)}`;

/** TrimsDialog proposes level trims, with the reason of each, and takes those that are
 * chosen as one step. */
export function TrimsDialog({ close }: { close: () => void }) {
  const [only, setOnly] = useState(() => get().selection.size > 1);
  const [trims, setTrims] = useState<readonly LevelTrim[]>();
  const [left, setLeft] = useState<ReadonlySet<Id>>(new Set()); // those left out
  useEffect(() => {
    void levelTrims(only ? [...get().selection] : []).then((t) => setTrims(t?.trims ?? []));
  }, [only]);
  const taken = trims?.filter((t) => !left.has(t.id)).map((t) => t.id) ?? [];
  const toggle = (id: Id) => {
    const next = new Set(left);
    if (!next.delete(id)) next.add(id);
    setLeft(next);
  };
  const take = async () => {
    if (await takeLevelTrims(taken)) close();
  };
  return (
    <Floating title={say.trimLevels} open onOpenChange={close} className="w-[680px]">
      <p className="text-soft">{say.aLevelTrimBrings}</p>
      <label className="my-2 flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={only}
          disabled={get().selection.size === 0}
          onChange={(e) => setOnly(e.target.checked)}
        />
        {say.onlyTheSelection(get().selection.size)}
      </label>
      {trims?.length === 0 && <p>{say.everyRowThatWasHeard}</p>}
      {trims && trims.length > 0 && (
        <div className="min-h-0 overflow-y-auto border-line border-y">
          <table className="w-full border-collapse" data-part="trims">
            <thead>
              <tr className="text-left text-soft">
                <th className="w-8 py-1 font-normal">
                  <input
                    type="checkbox"
                    aria-label={say.allOfThem}
                    checked={left.size === 0}
                    onChange={(e) => setLeft(e.target.checked ? new Set() : new Set(trims.map((t) => t.id)))}
                  />
                </th>
                <th className="font-normal">{say.row}</th>
                <th className="w-32 text-right font-normal">{say.trimDb}</th>
                <th className="pl-4 font-normal">{say.since}</th>
              </tr>
            </thead>
            <tbody>
              {trims.map((t) => (
                <tr key={t.id} className="border-line border-t">
                  <td className="py-0.5">
                    <input
                      type="checkbox"
                      aria-label={t.name}
                      checked={!left.has(t.id)}
                      onChange={() => toggle(t.id)}
                    />
                  </td>
                  <td>{t.name}</td>
                  <td className="text-right tabular-nums">
                    {signed(t.fromDb)} → <strong>{signed(t.toDb)}</strong>
                  </td>
                  <td className={`pl-4 ${t.short > 0 ? "text-accent" : "text-soft"}`}>{t.why}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <div className="mt-3 flex justify-end gap-2">
        <button type="button" className="button" onClick={close}>
          {say.cancel}
        </button>
        <button type="button" className="button button-main" disabled={taken.length === 0} onClick={() => void take()}>
          {say.trimRows(taken.length)}
        </button>
      </div>
    </Floating>
  );
}
