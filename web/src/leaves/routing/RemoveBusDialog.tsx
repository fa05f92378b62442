import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Id } from "../../model/api";
import { settle } from "../../model/changing";
import { computed } from "../../model/queries";
import { set, useApp } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.removeBusDialog;

/** RemoveBusDialog says what hangs on a bus before it goes, and offers where
 * to send it instead. */
export function RemoveBusDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const bus = useApp((s) => (s.bus ? s.sheet!.buses.byId.get(s.bus) : undefined));
  const { data } = useQuery({
    ...computed.dependants(sheet.id, sheet.revision, bus?.id ?? ""),
    enabled: bus !== undefined,
  });
  const [picked, setPicked] = useState<Id | null>(null);
  if (!bus || !data) return null;
  const feeds = data.instruments + data.buses.length;
  const onward = picked ?? (feeds > 0 ? (data.offers[0] ?? "") : "");
  const names = (ids: Id[]) => {
    const shown = ids.slice(0, 6).map((id) => sheet.instruments.byId.get(id)?.name ?? "?");
    return shown.join(", ") + (ids.length > 6 ? say.andMore(ids.length - 6) : "");
  };
  return (
    <Floating title={say.remove(bus.name)} open onOpenChange={close} className="w-[520px]">
      <form
        className="flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          void settle({ kind: "remove-bus", id: bus.id, ...(onward ? { onward } : {}) }).then((done) => {
            if (!done) return;
            set({ bus: null });
            close();
          });
        }}
      >
        <p data-part="dependants">
          {feeds === 0 ? say.nothingFeedsIt : say.itIsFedByInstruments(data.instruments, data.buses.length)}{" "}
          {data.rules > 0 && say.stemRulesNameIt(data.rules)}
        </p>
        {data.orphaned.length > 0 && (
          <p>
            <strong className="text-accent">{say.withoutItInstrumentsWould(data.orphaned.length)}</strong>{" "}
            {names(data.orphaned)}
          </p>
        )}
        {data.silenced.length > 0 && (
          <p className="text-soft">{say.instrumentsWouldLoseAPart(data.silenced.length, names(data.silenced))}</p>
        )}
        {feeds > 0 && (
          <label className="flex items-center gap-2">
            {say.sendWhatFeedsItTo}
            <select className="field flex-1" value={onward} onChange={(e) => setPicked(e.target.value)}>
              {data.offers.map((id) => (
                <option key={id} value={id}>
                  {sheet.buses.byId.get(id)?.name} ({sheet.buses.byId.get(id)?.kind})
                </option>
              ))}
              <option value="">{say.nowhere}</option>
            </select>
          </label>
        )}
        <div className="flex justify-end">
          <button type="submit" className="button button-main">
            {say.removeIt}
          </button>
        </div>
      </form>
    </Floating>
  );
}
