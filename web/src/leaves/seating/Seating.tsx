import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import type { Id, Machine, Schemas } from "../../model/api";
import { moveSeats, seatEveryone } from "../../model/changing";
import { computed } from "../../model/queries";
import { select, set, show, useApp } from "../../model/store";
import { gib, things } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { MemoryGlass } from "../../parts/MemoryGlass";
import { useGlass } from "../../parts/useGlass";
import { useSize } from "../../parts/useSize";
import { MoveForm } from "./MoveForm";
import { Riser, riserStep } from "./Riser";
import { type Besides, besides, range, type SeatIndex, seatIndex, taken, unfolded } from "./seats";
import { WhyHere } from "./WhyHere";
import { words } from "./words";

const say = words.seating;

export function Seating() {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery(computed.seating(sheet.id, sheet.revision));
  const seats = useMemo(() => seatIndex(things(sheet.instruments)), [sheet.instruments]);
  const beside = useMemo(() => besides(things(sheet.instruments)), [sheet.instruments]);
  const frame = useRef<HTMLDivElement>(null);
  const size = useSize(frame);
  const all = things(sheet.machines).reduce(
    (n, m) => n + unfolded(sheet.risers[m.id] ?? 0, taken(seats, m.id), false).shown.length,
    0,
  );
  const note = data ? say.risersInUse(data.risersUsed, data.lowerBound) : "";
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title={say.seating} note={note}>
        <button type="button" className="button" onClick={() => set({ dialog: "machine" })}>
          {say.addAMachine}
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "what-if" })}>
          {say.whatIf}
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "plan" })}>
          {say.plan}
        </button>
        <button type="button" className="button button-main" onClick={() => void seatEveryone(false)}>
          {say.seatEveryone}
        </button>
      </LeafHead>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard */}
      <div ref={frame} className="min-h-0 flex-1 overflow-y-auto" tabIndex={0} role="region" aria-label={say.machines}>
        {sheet.machines.order.length === 0 && (
          <Empty
            says={say.machinesStandHere}
            steps={[{ text: say.addTheFirstMachine, run: () => set({ dialog: "machine" }) }]}
          >
            {say.addThe}
          </Empty>
        )}
        {data && data.full.length > 0 && (
          <section className="border-line border-b px-3 py-2 text-soft" aria-label={say.nearlyFull} data-part="full">
            {say.nearlyFullFull(
              data.full
                .slice(0, 6)
                .map((f) => `${f.machine}${f.riser ? say.riser(f.riser) : ""}, ${f.what} ${f.text}`)
                .join(" · "),
            )}
          </section>
        )}
        <div className="flex flex-wrap">
          {things(sheet.machines).map((m) => (
            <MachineRow
              key={m.id}
              machine={m}
              seats={seats}
              beside={beside}
              width={(size?.width ?? 0) - 24}
              all={all}
              link={data?.links.find((l) => l.machine === m.id)}
            />
          ))}
        </div>
        {data && data.unseated.length > 0 && (
          <section className="border-line border-t px-3 py-3" data-part="unseated">
            <h3 className="mb-1 text-[15px]">{say.withoutASeat(data.unseated.length)}</h3>
            {data.unseated.slice(0, 200).map((u) => (
              <div key={u.id} className="flex gap-3 py-0.5">
                <button
                  type="button"
                  className="link w-48 shrink-0 truncate text-left"
                  onClick={() => {
                    select([u.id], u.id);
                    show("orchestra");
                  }}
                >
                  {u.name}
                </button>
                <span className="text-soft">{u.reason}</span>
              </div>
            ))}
          </section>
        )}
      </div>
      <WhyHere />
      <MoveForm />
    </div>
  );
}

/** Risers are drawn as if there were so many at least, so that a single one is not larger than life. */
const fewestAcross = 3;

interface RowProps {
  machine: Machine;
  seats: SeatIndex;
  beside: Besides;
  width: number;
  all: number; // risers that show, of all machines
  link: Schemas["SeatingLink"] | undefined;
}

/** linkText says what a machine's link carries, and how late it sounds. */
function linkText(link: RowProps["link"]): string {
  if (!link) return "";
  const of = link.carriesMbits ? say.of(link.carriesMbits.toFixed(0)) : "";
  const late = link.latencyMs ? ` · ${link.latencyMs.toFixed(1)} ms` : "";
  return ` · ${link.mbits.toFixed(0)}${of} Mbit/s${late}`;
}

function MachineRow({ machine, seats, beside, width, all, link }: RowProps) {
  const sheet = useApp((s) => s.sheet)!;
  const state = useApp((s) => s.rig.get(machine.id));
  const glass = useGlass().get(machine.id) ?? [];
  const risers = sheet.risers[machine.id] ?? 0;
  const [open, setOpen] = useState(false);
  const { shown, empty } = useMemo(
    () => unfolded(risers, taken(seats, machine.id), open),
    [risers, seats, machine.id, open],
  );
  const host = state?.online ? say.here : say.away;
  const figures = say.coresGibRisersHost(machine.cores, gib(machine.memoryMib), risers, host, linkText(link));
  const drop = async (to: { riser: number; port: number; channel: number }, ids: Id[]) => {
    await moveSeats(ids, { machine: machine.id, ...to });
  };
  return (
    <section
      className="min-w-[290px] grow border-line border-b px-3 pt-2 pb-3 not-last:border-r"
      aria-label={machine.name}
      data-machine={machine.name}
    >
      <div className="flex items-center gap-3">
        <h3 className="min-w-0 truncate text-[16px]">{machine.name}</h3>
        <button
          type="button"
          className="link h-6 shrink-0 whitespace-nowrap text-[12px] text-soft"
          onClick={() => set({ dialog: "machine", machine: machine.id })}
        >
          {say.change}
        </button>
        <button
          type="button"
          className="link h-6 shrink-0 whitespace-nowrap text-[12px] text-soft"
          onClick={() => set({ dialog: "host", machine: machine.id })}
        >
          {say.itsHost}
        </button>
        <span className="ml-auto shrink-0 whitespace-nowrap text-soft">
          {say.ofGib(gib(state?.usedMib ?? 0), gib(state?.limitMib ?? 0))}
        </span>
        <div className="w-16 shrink-0">
          <MemoryGlass name={machine.name} parts={glass} limit={state?.limitMib ?? 1} />
        </div>
      </div>
      {/* as narrow as its risers: the words wrap, and ask for no width of their own */}
      <p className="mb-2 w-0 min-w-full text-[12px] text-soft">{figures}</p>
      <div className="flex flex-wrap items-start gap-x-2.5 gap-y-3">
        {shown.map((n) => (
          <Riser
            key={`riser ${n}`}
            machine={machine}
            number={n}
            seats={seats}
            beside={beside}
            step={riserStep(width, Math.max(shown.length, fewestAcross), Math.max(all, fewestAcross))}
            drop={(to, ids) => void drop(to, ids)}
          />
        ))}
      </div>
      {empty.length > 0 && (
        <button
          type="button"
          className="link mt-1 h-6 text-soft"
          aria-expanded={open}
          data-part="empty-risers"
          onClick={() => setOpen(!open)}
          onDragEnter={() => setOpen(true)}
        >
          {open ? say.foldTheEmptyRisers : say.empty(range(empty))}
        </button>
      )}
    </section>
  );
}
