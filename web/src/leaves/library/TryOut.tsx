import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type Catalogue, type Mapping, type Patch, tried } from "../../model/catalogue";
import { keyName } from "../../model/keys";

/** TryOut compiles a few notes written by hand, and shows the messages. */
export function TryOut({ cat, patch, map }: { cat: Catalogue; patch: Patch; map: Mapping[] }) {
  const [open, setOpen] = useState(false);
  const key = keyName(Math.round((patch.keyLow + patch.keyHigh) / 2), cat.middleC);
  const first = map.slice(0, 3).map((m, n) => `${key} ${n ? "" : "1/4 "}${m.articulation}`);
  const [notes, setNotes] = useState(first.join("; "));
  const [from, setFrom] = useState(0);
  const { data, error } = useQuery({
    ...tried({
      map,
      keyLow: patch.keyLow,
      keyHigh: patch.keyHigh,
      channel: 1,
      notes,
      from,
      ...(patch.dynamics ? { dynamics: patch.dynamics } : {}),
    }),
    enabled: open,
  });
  return (
    <details className="mt-2" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-default text-soft">Try it out: notes in, messages out</summary>
      <div className="mt-1 flex gap-2">
        <input
          className="field min-w-0 flex-1"
          aria-label="Notes to try"
          title="A key, its length and its articulations, then a semicolon: C4 1/4 stacc.; D4; - 1/4; E4 pizz. + con sord."
          value={notes}
          onChange={(e) => setNotes(e.target.value)}
        />
        <label className="flex items-center gap-1.5 text-soft">
          from note
          <input
            type="number"
            min={1}
            className="field w-16"
            value={from + 1}
            onChange={(e) => setFrom(Math.max(0, Number(e.target.value) - 1))}
          />
        </label>
      </div>
      {error && <p className="mt-1 text-accent">{error.message}</p>}
      {data && (
        <>
          <p className="my-1 text-soft">
            {data.messages.length} messages, {data.switches} of them switches
            {data.missing.length > 0 && <b className="text-accent">; not in the map: {data.missing.join(", ")}</b>}
            {data.outside > 0 && <b className="text-accent">; {data.outside} beyond its keys</b>}
          </p>
          <ol className="max-h-48 overflow-y-auto" aria-label="Messages">
            {data.messages.slice(0, 400).map((m, n) => (
              <li
                key={n}
                className={`grid grid-cols-[74px_34px_1fr_1fr] gap-2 odd:bg-band ${m.why ? "font-semibold" : ""}`}
              >
                <span className="text-right">{m.ms.toFixed(0)} ms</span>
                <span className="text-soft">ch {m.channel}</span>
                <span>{m.text}</span>
                <span className="text-soft">{m.why}</span>
              </li>
            ))}
          </ol>
        </>
      )}
    </details>
  );
}
