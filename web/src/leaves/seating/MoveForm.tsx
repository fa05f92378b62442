import { type FormEvent, useMemo, useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { moveSeats, shiftSeats } from "../../model/changing";
import { seatByHand } from "../../model/seating";
import { get, useApp } from "../../model/store";
import { things } from "../../model/template";
import { words } from "./words";

const say = words.moveForm;

const parts = ["seat", "port", "channel", "pair"] as const;
type Part = (typeof parts)[number];
const partNames = { seat: say.seats, port: say.ports, channel: say.channels, pair: say.outputPairs };

/** MoveForm seats the selection on consecutive seats from a first one on, which
 * is what dragging does, or gives it consecutive ports, channels or output
 * pairs where it sits. It begins where the first of the selection sits. */
export function MoveForm() {
  const sheet = useApp((s) => s.sheet)!;
  const selection = useApp((s) => s.selection);
  const [part, setPart] = useState<Part>("seat");
  const first = useMemo(() => {
    const id = sheet.instruments.order.find((id) => selection.has(id));
    return id === undefined ? undefined : sheet.instruments.byId.get(id)?.seat;
  }, [sheet, selection]);
  if (sheet.machines.order.length === 0) return null;
  return <From key={JSON.stringify([first ?? selection.size > 0, part])} first={first} part={part} setPart={setPart} />;
}

/** Way is who would make way for rows that go to taken seats. */
interface Way {
  ids: Id[];
  to: Parameters<typeof shiftSeats>[1];
  shifts: Schemas["Shifted"]["shifts"];
}

interface FromProps {
  first: Schemas["Seat"] | undefined;
  part: Part;
  setPart: (part: Part) => void;
}

function From({ first, part, setPart }: FromProps) {
  const sheet = useApp((s) => s.sheet)!;
  const n = useApp((s) => s.selection.size);
  const [machine, setMachine] = useState(first?.machine ?? sheet.machines.order[0] ?? "");
  const [place, setPlace] = useState({
    riser: first?.riser ?? 1,
    port: first?.port ?? 1,
    channel: first?.channel ?? 1,
  });
  const [from, setFrom] = useState(part === "seat" ? 1 : (first?.[part] ?? 1));
  const [way, setWay] = useState<Way | null>(null);
  const elsewhere = (to: string) => {
    setMachine(to);
    if (to !== machine) setPlace({ riser: 1, port: 1, channel: 1 });
  };
  const move = (e: FormEvent) => {
    e.preventDefault();
    const ids = sheet.instruments.order.filter((id) => get().selection.has(id));
    if (part !== "seat") return void seatByHand({ kind: part, ids, from });
    void seat(ids);
  };
  const seat = async (ids: Id[]) => {
    const to = { machine: machine || sheet.machines.order[0]!, ...place };
    const seen = await shiftSeats(ids, to, false);
    if (seen && seen.shifts.length > 0) return setWay({ ids, to, shifts: seen.shifts });
    setWay(null);
    await moveSeats(ids, to);
  };
  const shift = async () => {
    if (way && (await shiftSeats(way.ids, way.to, true))) setWay(null);
  };
  return (
    <form
      onSubmit={move}
      className="flex shrink-0 flex-wrap items-center gap-1.5 border-line border-t px-3 py-2"
      aria-label={say.moveSeats}
    >
      <span className="text-soft">{say.giveConsecutive(n || say.theSelection)}</span>
      <select
        className="field"
        aria-label={say.whatIsConsecutive}
        value={part}
        onChange={(e) => setPart(e.target.value as Part)}
      >
        {parts.map((p) => (
          <option key={p} value={p}>
            {partNames[p]}
          </option>
        ))}
      </select>
      <span className="text-soft">{say.from}</span>
      {part === "seat" ? (
        <>
          <select
            className="field"
            aria-label={say.machine}
            value={machine}
            onChange={(e) => elsewhere(e.target.value)}
          >
            {things(sheet.machines).map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
              </option>
            ))}
          </select>
          {(["riser", "port", "channel"] as const).map((key) => (
            <label key={key} className="flex items-center gap-1 text-soft">
              {say[key]}
              <input
                type="number"
                min={1}
                max={key === "channel" ? 16 : 64}
                className="field w-12"
                value={place[key]}
                onChange={(e) => setPlace({ ...place, [key]: Number(e.target.value) })}
              />
            </label>
          ))}
        </>
      ) : (
        <input
          type="number"
          min={1}
          max={part === "channel" ? 16 : 256}
          className="field w-16"
          aria-label={say.theFirst}
          value={from}
          onChange={(e) => setFrom(Number(e.target.value))}
        />
      )}
      <button type="submit" className="button ml-auto" disabled={n === 0}>
        {part === "seat" ? say.move : say.give}
      </button>
      {way && (
        <p className="w-full" data-part="way">
          {say.inTheWay(way.shifts.map((x) => say.portChannel(x.name, x.port, x.channel)).join("; "))}{" "}
          <button type="button" className="link" onClick={() => void shift()}>
            {say.shift(way.shifts.length)}
          </button>
        </p>
      )}
    </form>
  );
}
