import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type Catalogue, type Mapping, tried } from "../../model/catalogue";
import { keyName } from "../../model/keys";
import { Messages } from "./Messages";
import type { Mapped } from "./switches";
import { words } from "./words";

const say = words.tryOut;

/** TryOut compiles a few notes written by hand, and shows the messages. */
export function TryOut({ cat, patch, map }: { cat: Catalogue; patch: Mapped; map: Mapping[] }) {
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
      <summary className="cursor-default text-soft">{say.tryItOutNotes}</summary>
      <div className="mt-1 flex gap-2">
        <input
          className="field min-w-0 flex-1"
          aria-label={say.notesToTry}
          title={say.aKeyItsLength}
          value={notes}
          onChange={(e) => setNotes(e.target.value)}
        />
        <label className="flex items-center gap-1.5 text-soft">
          {say.fromNote}
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
      {data && <Messages report={{ ...data, total: data.messages.length }} />}
    </details>
  );
}
