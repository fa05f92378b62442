import { useState } from "react";
import type { Id } from "../model/api";
import { useCatalogue } from "../model/catalogue";
import { bringIn } from "../model/opening";
import { useApp } from "../model/store";
import { mib } from "../model/template";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.standsDialog;

/** StandsDialog asks which machines of the studio stand for those of a template file
 * that it does not know. */
export function StandsDialog({ close }: { close: () => void }) {
  const { file, machines } = useApp((s) => s.taking)!;
  const rig = useCatalogue()?.rig ?? [];
  const [stands, setStands] = useState<readonly Id[]>(machines.map((m) => m.stands));
  const names = new Set(machines.filter((m) => !m.strange).map((m) => m.name.toLowerCase()));
  const free = (n: number) =>
    rig.filter((m) => !names.has(m.name.toLowerCase()) && !stands.some((id, k) => k !== n && id === m.id));
  return (
    <Floating title={say.whichMachineStandsForWhich} open onOpenChange={close} className="w-[520px]">
      <p className="mb-3 text-soft">{say.theFileUsesMachines}</p>
      <div className="grid grid-cols-[1fr_240px] items-center gap-2">
        {machines.map(
          (m, n) =>
            m.strange && (
              <label key={m.name} className="contents">
                <span>
                  {m.name}{" "}
                  <span className="text-soft">
                    {mib(m.memoryMib)}, {say.seats(m.seats)}
                  </span>
                </span>
                <select
                  className="field"
                  aria-label={say.inPlaceOf(m.name)}
                  value={stands[n]}
                  onChange={(e) => setStands(stands.with(n, e.target.value))}
                >
                  <option value="">{say.addItAsANew}</option>
                  {free(n).map((x) => (
                    <option key={x.id} value={x.id}>
                      {x.name}, {mib(x.memoryMib)}
                    </option>
                  ))}
                </select>
              </label>
            ),
        )}
      </div>
      <button
        type="button"
        className="button button-main mt-4 ml-auto block"
        onClick={() => void bringIn(file, [...stands]).then((done) => done && close())}
      >
        {say.bringItIn}
      </button>
    </Floating>
  );
}
