import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef } from "react";
import type { Id, Machine, Schemas } from "../../model/api";
import { moveSeats, seatEveryone } from "../../model/changing";
import { computed } from "../../model/queries";
import { select, set, show, useApp } from "../../model/store";
import { gib, plural, things } from "../../model/template";
import { LeafHead } from "../../parts/LeafHead";
import { MemoryGlass } from "../../parts/MemoryGlass";
import { useGlass } from "../../parts/useGlass";
import { useSize } from "../../parts/useSize";
import { MoveForm } from "./MoveForm";
import { Riser, riserStep } from "./Riser";
import { type Besides, besides, type SeatIndex, seatIndex } from "./seats";
import { WhyHere } from "./WhyHere";

export function Seating() {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery(computed.seating(sheet.id, sheet.revision));
  const seats = useMemo(() => seatIndex(things(sheet.instruments)), [sheet.instruments]);
  const beside = useMemo(() => besides(things(sheet.instruments)), [sheet.instruments]);
  const frame = useRef<HTMLDivElement>(null);
  const size = useSize(frame);
  const note = data
    ? `${plural(data.risersUsed, "riser")} in use; ${data.lowerBound} is the least any plan can use`
    : "";
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title="Seating" note={note}>
        <button type="button" className="button" onClick={() => set({ dialog: "machine" })}>
          Add a machine…
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "what-if" })}>
          What if…
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "plan" })}>
          Plan…
        </button>
        <button type="button" className="button button-main" onClick={() => void seatEveryone(false)}>
          Seat everyone
        </button>
      </LeafHead>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard */}
      <div ref={frame} className="min-h-0 flex-1 overflow-y-auto" tabIndex={0} role="region" aria-label="Machines">
        {sheet.machines.order.length === 0 && (
          <div className="p-6">
            <p className="mb-3 text-soft">
              Machines appear here with their risers. Add the first one; its command starts the host there.
            </p>
            <button type="button" className="button button-main" onClick={() => set({ dialog: "machine" })}>
              Add the first machine
            </button>
          </div>
        )}
        {data && data.full.length > 0 && (
          <section className="border-line border-b px-3 py-2 text-soft" aria-label="Nearly full" data-part="full">
            Nearly full:{" "}
            {data.full
              .slice(0, 6)
              .map((f) => `${f.machine}${f.riser ? `, riser ${f.riser}` : ""}, ${f.what} ${f.text}`)
              .join(" · ")}
          </section>
        )}
        {things(sheet.machines).map((m) => (
          <MachineRow
            key={m.id}
            machine={m}
            seats={seats}
            beside={beside}
            width={(size?.width ?? 0) - 24}
            link={data?.links.find((l) => l.machine === m.id)}
          />
        ))}
        {data && data.unseated.length > 0 && (
          <section className="border-line border-t px-3 py-3" data-part="unseated">
            <h3 className="mb-1 text-[15px]">{data.unseated.length} without a seat</h3>
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

interface RowProps {
  machine: Machine;
  seats: SeatIndex;
  beside: Besides;
  width: number;
  link: Schemas["SeatingLink"] | undefined;
}

/** linkText says what a machine's link carries, and how late it sounds. */
function linkText(link: RowProps["link"]): string {
  if (!link) return "";
  const of = link.carriesMbits ? ` of ${link.carriesMbits.toFixed(0)}` : "";
  const late = link.latencyMs ? ` · ${link.latencyMs.toFixed(1)} ms` : "";
  return ` · ${link.mbits.toFixed(0)}${of} Mbit/s${late}`;
}

function MachineRow({ machine, seats, beside, width, link }: RowProps) {
  const sheet = useApp((s) => s.sheet)!;
  const state = useApp((s) => s.rig.get(machine.id));
  const glass = useGlass().get(machine.id) ?? [];
  const risers = sheet.risers[machine.id] ?? 0;
  const host = state?.online ? "here" : "away";
  const figures = `${machine.cores} cores · ${gib(machine.memoryMib)} GiB · ${plural(risers, "riser")} · host ${host}${linkText(link)}`;
  const drop = async (to: { riser: number; port: number; channel: number }, ids: Id[]) => {
    await moveSeats(ids, { machine: machine.id, ...to });
  };
  return (
    <section className="border-line border-b px-3 pt-2 pb-3" aria-label={machine.name} data-machine={machine.name}>
      <div className="mb-2 flex items-center gap-3">
        <h3 className="text-[16px]">{machine.name}</h3>
        <span className="min-w-0 truncate text-soft" title={`${machine.name}: ${figures}`}>
          {figures}
        </span>
        <button
          type="button"
          className="link h-6 shrink-0 whitespace-nowrap text-[12px] text-soft"
          onClick={() => set({ dialog: "machine", machine: machine.id })}
        >
          change
        </button>
        <button
          type="button"
          className="link h-6 shrink-0 whitespace-nowrap text-[12px] text-soft"
          onClick={() => set({ dialog: "host", machine: machine.id })}
        >
          its host
        </button>
        <span className="ml-auto shrink-0 whitespace-nowrap text-soft">
          {gib(state?.usedMib ?? 0)} of {gib(state?.limitMib ?? 0)} GiB
        </span>
        <div className="w-24 shrink-0">
          <MemoryGlass name={machine.name} parts={glass} limit={state?.limitMib ?? 1} />
        </div>
      </div>
      <div className="flex flex-wrap gap-x-2.5 gap-y-3">
        {Array.from({ length: risers }, (_, n) => (
          <Riser
            key={`riser ${n + 1}`}
            machine={machine}
            number={n + 1}
            seats={seats}
            beside={beside}
            step={riserStep(width, risers)}
            drop={(to, ids) => void drop(to, ids)}
          />
        ))}
      </div>
    </section>
  );
}
