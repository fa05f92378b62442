import { type FormEvent, useState } from "react";
import { layOut } from "../../model/changing";
import { get } from "../../model/store";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.layoutDialog;

const ways = {
  switched: say.oneRowThatSwitchesBetween,
  spread: say.aRowForEachArticulation,
  performed: say.oneRowWhosePlayingChooses,
} as const;

/** LayoutDialog lays the selection out in another way. */
export function LayoutDialog({ close }: { close: () => void }) {
  const [ids] = useState(() => get().sheet!.instruments.order.filter((id) => get().selection.has(id)));
  const first = get().sheet!.instruments.byId.get(ids[0] ?? "");
  const [to, setTo] = useState<keyof typeof ways>(first?.layout ? "switched" : "spread");
  const [pattern, setPattern] = useState("{name} {articulation}");
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    if (await layOut(ids, to, pattern)) close();
  };
  const example = first?.articulations
    .slice(0, 3)
    .map((a) => pattern.replaceAll("{name}", first.name).replaceAll("{articulation}", a).replaceAll("{short}", a));
  return (
    <Floating title={say.layOutRows(ids.length)} open onOpenChange={close} className="w-[480px]">
      <form onSubmit={(e) => void keep(e)} className="flex flex-col gap-2">
        <fieldset className="flex flex-col gap-1">
          <legend className="sr-only">{say.how}</legend>
          {Object.entries(ways).map(([key, text]) => (
            <label key={key} className="flex min-h-7 items-start gap-2">
              <input
                type="radio"
                name="layout"
                className="mt-1"
                checked={to === key}
                onChange={() => setTo(key as keyof typeof ways)}
              />
              <span>
                <b className="font-semibold">{key}</b> <span className="text-soft">{text}</span>
              </span>
            </label>
          ))}
        </fieldset>
        {to === "spread" && (
          <label>
            <span className="block text-[12px] text-soft">{say.namesNameArticulationAndShort}</span>
            <input className="field w-full" value={pattern} onChange={(e) => setPattern(e.target.value)} />
            {example && <span className="block truncate text-soft">{say.asIn(example.join(", "))}</span>}
          </label>
        )}
        <p className="text-soft">{say.routesNotesAndCallsStay}</p>
        <div className="flex justify-end">
          <button type="submit" className="button button-main">
            {say.layItOut}
          </button>
        </div>
      </form>
    </Floating>
  );
}
