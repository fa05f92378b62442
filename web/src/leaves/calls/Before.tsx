import { useQuery } from "@tanstack/react-query";
import type { Call, Id, Schemas } from "../../model/api";
import { call, restThere } from "../../model/changing";
import { computed } from "../../model/queries";
import { fewestMoves } from "../../model/seating";
import { select, set, tell, useApp } from "../../model/store";
import { gib, mib, wait } from "../../model/template";
import { MemoryGlass } from "../../parts/MemoryGlass";
import { useGlass } from "../../parts/useGlass";
import { words } from "./words";

const say = words.before;

/** Before shows each machine's memory now and after the chosen call, or after
 * calling the selection. */
export function Before({ picked, selected }: { picked: Call | undefined; selected: ReadonlySet<Id> }) {
  const sheet = useApp((s) => s.sheet)!;
  const called = useApp((s) => s.called);
  const asked = picked ? picked.instruments.length > 0 : selected.size > 0;
  const ids = picked ? picked.instruments : selected;
  const { data } = useQuery(computed.cost(sheet.id, sheet.revision, called, picked ? "only" : "call", ids));
  const seconds = Math.max(0, ...(data?.machines.map((m) => m.seconds) ?? []));
  const loads = data?.machines.reduce((n, m) => n + m.loads, 0) ?? 0;
  const inTheWay = asked ? (data?.machines.flatMap((m) => m.rest) ?? []) : [];
  const instead = async () => {
    const out = new Set(inTheWay);
    const wanted = [...ids].filter((id) => !out.has(id));
    if (!(await call(inTheWay, "rest"))) return;
    if (wanted.length > 0) void call(wanted, picked ? "only" : "call");
  };
  const title = picked ? picked.name : selected.size ? say.callingTheSelection : say.memory;
  return (
    <section className="border-line border-t px-3 py-2" data-part="memory">
      <h3 className="text-[15px]">
        {title}{" "}
        {asked && (
          <span className="font-normal font-sans text-[13px] text-soft">
            {loads === 0 ? say.nothingToLoad : say.loads(loads, wait(seconds))}
          </span>
        )}
      </h3>
      {data?.machines.length === 0 && <p className="mt-1 text-soft">{say.thereIsNoMachineYet}</p>}
      {data?.machines.map((m) => (
        <MachineCost key={m.id} cost={m} asked={asked} />
      ))}
      {inTheWay.length > 0 && (
        <button type="button" className="button mt-2" onClick={() => void instead()}>
          {say.callItWithThoseResting(inTheWay.length)}
        </button>
      )}
      {inTheWay.length > 0 && picked?.uses && (
        <button type="button" className="button mt-2 ml-2" onClick={() => set({ dialog: "trim", trimming: picked.id })}>
          {say.trimItToItsMusic}
        </button>
      )}
      {data && data.unseated > 0 && <p className="mt-1">{say.ofThemHaveNoSeat(data.unseated)}</p>}
    </section>
  );
}

function MachineCost({ cost, asked }: { cost: Schemas["MachineCost"]; asked: boolean }) {
  const glass = useGlass().get(cost.id) ?? [];
  const others = cost.others.reduce((n, o) => n + o.mib, 0);
  const moveSome = async () => {
    const short = Math.ceil(cost.afterMib + others - cost.limitMib);
    const moves = await fewestMoves({ kind: "memory", machine: cost.id, mib: short, take: true });
    if (moves) tell(`${moves.text}.`);
  };
  const state = useApp((s) => s.rig.get(cost.id));
  const now = state?.online ? state.usedMib : cost.beforeMib + others;
  const then = (asked ? cost.afterMib : cost.beforeMib) + others; // once all that is called has arrived
  return (
    <div className="mt-2" data-machine={cost.name}>
      <div className="mb-0.5 flex justify-between">
        <span className="font-serif">{cost.name}</span>
        <span className="text-soft">
          {gib(now)}
          {gib(then) !== gib(now) && ` → ${gib(then)}`} {say.ofGib(gib(cost.limitMib))}
          {cost.fits && say.left(gib(cost.limitMib - then))}
        </span>
      </div>
      <MemoryGlass
        tall
        name={cost.name}
        parts={glass}
        limit={cost.limitMib}
        after={gib(then) !== gib(now) ? then : undefined}
      />
      {cost.others.map((o) => (
        <p key={o.template} className="mt-0.5 flex justify-between text-[12px]" data-part="held-elsewhere">
          <span className="text-soft">{say.holdsOfIt(o.name, mib(o.mib))}</span>
          <button type="button" className="link" onClick={() => void restThere(o.template, o.machine)}>
            {say.restThere(o.name)}
          </button>
        </p>
      ))}
      {state && state.tookMs !== undefined && state.computedMs !== undefined && (
        <p className="mt-0.5 text-[12px] text-soft" data-part="took">
          {say.lastLoadComputedTook(wait(state.computedMs / 1000), wait(state.tookMs / 1000))}
        </p>
      )}
      {!cost.fits && (
        <p className="mt-1 text-accent">
          {cost.refusal}.{" "}
          {cost.rest.length > 0 && (
            <>
              <button type="button" className="link" onClick={() => select(cost.rest, cost.rest[0] ?? null)}>
                {say.select(cost.rest.length)}
              </button>
              {" · "}
            </>
          )}
          <button type="button" className="link" onClick={() => void moveSome()}>
            {say.moveSeatsElsewhere}
          </button>
        </p>
      )}
    </div>
  );
}
