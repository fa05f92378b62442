import { type DragEvent, memo, useMemo } from "react";
import type { Id, Machine } from "../../model/api";
import { get, select, useApp } from "../../model/store";
import { rowTint } from "../../model/template";
import { RiserMenu } from "./RiserMenu";
import { type Besides, type SeatIndex, seatKey } from "./seats";
import { words } from "./words";

const say = words.riser;

/** The room between two seats, px: as much as there is, within reason. */
export const leastStep = 9;
export const mostStep = 14;
export const widestStep = 20; // where all risers stand side by side
const left = 12;

/** riserStep shares a width among the risers of a machine; where all machines have room side by side,
 * among all of theirs. */
export function riserStep(width: number, risers: number, all: number): number {
  const share = (n: number) => Math.floor(((width - between * (n - 1)) / Math.max(1, n) - left) / 16);
  return Math.max(leastStep, Math.min(mostStep, share(risers)), Math.min(widestStep, share(all)));
}

/** The room beside a riser, and around a machine, px. */
const between = 36;

interface Props {
  machine: Machine;
  number: number;
  seats: SeatIndex;
  beside: Besides;
  step: number; // between two seats, px
  drop: (to: { riser: number; port: number; channel: number }, ids: Id[]) => void;
}

/** Riser is a sampler host with its ports as rows of sixteen seats. A taken
 * seat has its section's tint and is filled when ready; a spare one is an
 * open ring; what is selected rings. Drag a run of seats to move it. */
export const Riser = memo(function Riser({ machine, number, seats, beside, step, drop }: Props) {
  const sheet = useApp((s) => s.sheet)!;
  const selection = useApp((s) => s.selection);
  const states = useApp((s) => s.states);
  const ports = sheet.settings.riserPorts;
  const taken = useMemo(() => {
    let n = 0;
    for (const i of seats.values()) if (i.seat!.machine === machine.id && i.seat!.riser === number) n++;
    return n;
  }, [seats, machine.id, number]);

  const at = (e: { clientX: number; clientY: number; currentTarget: Element }) => {
    const box = e.currentTarget.getBoundingClientRect();
    const channel = Math.floor((e.clientX - box.left - left) / step) + 1;
    const port = Math.floor((e.clientY - box.top) / step) + 1;
    return channel >= 1 && channel <= 16 && port >= 1 && port <= ports ? { port, channel } : null;
  };
  const occupant = (p: { port: number; channel: number } | null) =>
    p ? seats.get(seatKey(machine.id, number, p.port, p.channel)) : undefined;

  const dragStart = (e: DragEvent) => {
    const i = occupant(at(e));
    if (!i) return e.preventDefault();
    const chosen = get().selection;
    const ids = chosen.has(i.id) ? sheet.instruments.order.filter((id) => chosen.has(id)) : [i.id];
    e.dataTransfer.setData("text/fanfold-seats", JSON.stringify(ids));
  };
  const dropped = (e: DragEvent) => {
    const data = e.dataTransfer.getData("text/fanfold-seats") || e.dataTransfer.getData("text/fanfold-rows");
    const to = at(e);
    if (!data || !to) return;
    e.preventDefault();
    drop({ riser: number, ...to }, JSON.parse(data) as Id[]);
  };

  return (
    <div>
      <div className="mb-1 flex h-5 items-center justify-between text-[12px]" style={{ width: left + 16 * step }}>
        {taken > 0 ? <RiserMenu machine={machine} number={number} /> : <span>{say.riser(number)}</span>}
        <span className="text-soft">{taken}</span>
      </div>
      <div
        role="img"
        aria-label={say.riserOfSeatsTaken(machine.name, number, taken, ports * 16)}
        data-riser={`${machine.name} ${number}`}
        draggable
        onDragStart={dragStart}
        onDragOver={(e) => e.preventDefault()}
        onDrop={dropped}
        onClick={(e) => {
          const i = occupant(at(e));
          if (!i) return;
          const { selection: chosen } = get();
          if (e.ctrlKey || e.metaKey || e.shiftKey) select([...chosen, i.id], i.id);
          else select([i.id], i.id);
        }}
        onKeyDown={() => undefined}
      >
        <svg width={left + 16 * step} height={ports * step} className="block" aria-hidden="true">
          {Array.from({ length: ports }, (_, p) => (
            <text
              key={`port ${p + 1}`}
              x="0"
              y={p * step + step / 2}
              fontSize={Math.min(11, step - 0.5)}
              dominantBaseline="central"
              fill="var(--soft)"
            >
              {p + 1}
            </text>
          ))}
          {Array.from({ length: ports * 16 }, (_, n) => {
            const port = Math.floor(n / 16) + 1;
            const channel = (n % 16) + 1;
            const x = left + (channel - 0.5) * step;
            const y = (port - 0.5) * step;
            const i = seats.get(seatKey(machine.id, number, port, channel));
            if (!i)
              return (
                <circle
                  key={n}
                  data-empty={`${port} ${channel}`}
                  cx={x}
                  cy={y}
                  r="2.7"
                  fill="none"
                  stroke="var(--line)"
                />
              );
            const others = beside.get(i.id) ?? [];
            const ready = states.get(i.id)?.state === "ready";
            return (
              <g key={n} data-seat={i.name} data-thing={`row ${i.id}`}>
                <title>
                  {say.portChannelOutputsReady(
                    i.name,
                    port,
                    channel,
                    2 * i.seat!.pair - 1,
                    2 * i.seat!.pair,
                    others.length ? say.withMoreRowsOnIt(others.length) : "",
                    ready,
                  )}
                </title>
                <circle
                  cx={x}
                  cy={y}
                  r={(ready ? 0.41 : 0.34) * step}
                  fill={rowTint(sheet, i)}
                  opacity={ready ? 1 : 0.62}
                />
                {ready && <circle cx={x} cy={y} r={0.14 * step} fill="var(--ink)" />}
                {(selection.has(i.id) || others.some((id) => selection.has(id))) && (
                  <circle cx={x} cy={y} r={0.47 * step} fill="none" stroke="var(--accent)" strokeWidth="1.6" />
                )}
              </g>
            );
          })}
        </svg>
      </div>
    </div>
  );
});
