import { type FormEvent, useState } from "react";
import { moveSeats } from "../../model/changing";
import { get, useApp } from "../../model/store";
import { things } from "../../model/template";

/** MoveForm seats the selection on consecutive seats from a first one on:
 * what dragging does, by keyboard. */
export function MoveForm() {
  const sheet = useApp((s) => s.sheet)!;
  const n = useApp((s) => s.selection.size);
  const [machine, setMachine] = useState(sheet.machines.order[0] ?? "");
  const [place, setPlace] = useState({ riser: 1, port: 1, channel: 1 });
  if (sheet.machines.order.length === 0) return null;
  const move = (e: FormEvent) => {
    e.preventDefault();
    const ids = sheet.instruments.order.filter((id) => get().selection.has(id));
    void moveSeats(ids, { machine: machine || sheet.machines.order[0]!, ...place });
  };
  return (
    <form
      onSubmit={move}
      className="flex shrink-0 flex-wrap items-center gap-2 border-line border-t px-3 py-2"
      aria-label="Move seats"
    >
      <span className="text-soft">Move {n || "the selection"} to</span>
      <select className="field" aria-label="Machine" value={machine} onChange={(e) => setMachine(e.target.value)}>
        {things(sheet.machines).map((m) => (
          <option key={m.id} value={m.id}>
            {m.name}
          </option>
        ))}
      </select>
      {(["riser", "port", "channel"] as const).map((key) => (
        <label key={key} className="flex items-center gap-1 text-soft">
          {key}
          <input
            type="number"
            min={1}
            max={key === "channel" ? 16 : 64}
            className="field w-14"
            value={place[key]}
            onChange={(e) => setPlace({ ...place, [key]: Number(e.target.value) })}
          />
        </label>
      ))}
      <button type="submit" className="button ml-auto" disabled={n === 0}>
        Move
      </button>
    </form>
  );
}
