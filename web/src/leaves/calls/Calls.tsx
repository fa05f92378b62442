import { useQuery } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { type FormEvent, useState } from "react";
import type { Call, Id, Schemas } from "../../model/api";
import { call, change, saveCall } from "../../model/changing";
import { computed } from "../../model/queries";
import { fewestMoves } from "../../model/seating";
import { select, set, tell, useApp } from "../../model/store";
import { gib, mib, plural, things, wait } from "../../model/template";
import { LeafHead } from "../../parts/LeafHead";
import { MemoryGlass } from "../../parts/MemoryGlass";
import { RestGlyph } from "../../parts/RestGlyph";
import { useGlass } from "../../parts/useGlass";

export function Calls() {
  const sheet = useApp((s) => s.sheet)!;
  const states = useApp((s) => s.states);
  const selection = useApp((s) => s.selection);
  const [chosen, setChosen] = useState<Id | null>(null);
  const picked = chosen ? sheet.calls.byId.get(chosen) : undefined;
  const ready = [...states.values()].filter((s) => s.state === "ready");
  const total = ready.reduce((n, s) => n + (sheet.facts.get(s.id)?.readyMib ?? 0), 0);
  const opening = things(sheet.calls).find((c) => c.opening);
  const all = [...states.values()].filter((s) => s.state !== "printed").map((s) => s.id);
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title="Calls" note={`${ready.length} ready, ${mib(total)}`}>
        {opening && all.length === 0 && (
          <button type="button" className="button button-main" onClick={() => void call(opening.instruments, "only")}>
            Open
          </button>
        )}
        <button type="button" className="button" onClick={() => set({ dialog: "music" })}>
          From music…
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "small" })}>
          Small…
        </button>
        <button
          type="button"
          className="button"
          disabled={sheet.calls.order.length === 0}
          onClick={() => set({ dialog: "compare-calls" })}
        >
          Compare…
        </button>
        <button type="button" className="button" disabled={all.length === 0} onClick={() => void call(all, "rest")}>
          Rest all
        </button>
      </LeafHead>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard */}
      <div className="min-h-0 flex-1 overflow-y-auto" tabIndex={0} role="region" aria-label="Calls and memory">
        <SavedCalls chosen={chosen} choose={setChosen} />
        <SaveForm any={all.length > 0} />
        <Before picked={picked} selected={selection} />
        <Arriving />
      </div>
    </div>
  );
}

function SavedCalls({ chosen, choose }: { chosen: Id | null; choose: (id: Id | null) => void }) {
  const sheet = useApp((s) => s.sheet)!;
  if (sheet.calls.order.length === 0)
    return (
      <p className="px-3 py-3 text-soft">
        Named calls stand here. Bring instruments to ready, then save them under a name.
      </p>
    );
  return (
    <ul>
      {things(sheet.calls).map((c) => (
        <SavedCall key={c.id} saved={c} chosen={chosen === c.id} choose={() => choose(chosen === c.id ? null : c.id)} />
      ))}
    </ul>
  );
}

function SavedCall({ saved, chosen, choose }: { saved: Call; chosen: boolean; choose: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const called = useApp((s) => s.called);
  const { data } = useQuery(computed.cost(sheet.id, sheet.revision, called, "only", saved.instruments));
  const memory = data?.machines.reduce((n, m) => n + m.afterMib, 0) ?? 0;
  const seconds = Math.max(0, ...(data?.machines.map((m) => m.seconds) ?? []));
  const here = data?.machines.every((m) => m.loads === 0 && m.afterMib === m.beforeMib);
  const coming = useApp((s) =>
    saved.instruments.some((id) => !["ready", "printed"].includes(s.states.get(id)?.state ?? "")),
  );
  return (
    <li
      className={`flex items-center gap-2 border-line border-b px-3 py-1.5 ${chosen ? "bg-chosen shadow-[inset_4px_0_0_var(--accent)]" : ""}`}
      data-call={saved.name}
    >
      <button type="button" aria-pressed={chosen} className="min-w-0 flex-1 text-left" onClick={choose}>
        <span className="block truncate font-medium">
          {saved.name}
          {saved.opening && <span className="font-normal text-[12px] text-soft"> opens</span>}
          {saved.uses && <span className="font-normal text-[12px] text-soft"> from its music</span>}
        </span>
        <span className="text-[12px] text-soft">
          {plural(saved.instruments.length, "row")} · {mib(memory)} ·{" "}
          {here ? (coming ? "arriving" : "ready now") : wait(seconds)}
        </span>
      </button>
      <button type="button" className="button" onClick={() => void call(saved.instruments, "only")}>
        Call it
      </button>
      <CallMenu saved={saved} />
    </li>
  );
}

/** CallMenu is what else can be done with a saved call. */
function CallMenu({ saved }: { saved: Call }) {
  const id = useApp((s) => s.sheet!.id);
  const all = useApp((s) => s.sheet!.calls);
  const open = () =>
    change({
      kind: "put",
      calls: things(all)
        .filter((c) => c.id === saved.id || c.opening)
        .map((c) => ({ at: -1, value: { ...c, opening: c.id === saved.id && !saved.opening } })),
    });
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="button px-2" aria-label={`Do with the call ${saved.name}`}>
        ▾
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-64 p-1" align="end" sideOffset={4}>
          <DropdownMenu.Item className="menu-item" onSelect={() => void call(saved.instruments, "call")}>
            Call it beside what is ready
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void open()}>
            {saved.opening ? "Open with nothing" : "Open with it"}
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" asChild>
            <a href={`/api/templates/${id}/calls/${saved.id}/midi`} download>
              Take out as MIDI
            </a>
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void change({ kind: "drop", calls: [saved.id] })}>
            Forget it
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function SaveForm({ any }: { any: boolean }) {
  const [name, setName] = useState("");
  const save = async (e: FormEvent) => {
    e.preventDefault();
    if (await saveCall(name)) setName("");
  };
  return (
    <form onSubmit={(e) => void save(e)} className="flex gap-2 px-3 py-2">
      <input
        className="field min-w-0 flex-1"
        aria-label="Name of the call"
        placeholder="Save what is ready as…"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button type="submit" className="button" disabled={!any || name.trim() === ""}>
        Save
      </button>
    </form>
  );
}

/** Before shows each machine's memory now and after the chosen call, or after
 * calling the selection. */
function Before({ picked, selected }: { picked: Call | undefined; selected: ReadonlySet<Id> }) {
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
  const title = picked ? picked.name : selected.size ? "Calling the selection" : "Memory";
  return (
    <section className="border-line border-t px-3 py-2" data-part="memory">
      <h3 className="text-[15px]">
        {title}{" "}
        {asked && (
          <span className="font-normal font-sans text-[13px] text-soft">
            {loads === 0 ? "nothing to load" : `loads ${loads}; ${wait(seconds)}`}
          </span>
        )}
      </h3>
      {data?.machines.length === 0 && <p className="mt-1 text-soft">There is no machine yet; add one in Seating.</p>}
      {data?.machines.map((m) => (
        <MachineCost key={m.id} cost={m} asked={asked} />
      ))}
      {inTheWay.length > 0 && (
        <button type="button" className="button mt-2" onClick={() => void instead()}>
          Call it with those {inTheWay.length} resting
        </button>
      )}
      {data && data.unseated > 0 && <p className="mt-1">{data.unseated} of them have no seat and can not load.</p>}
    </section>
  );
}

function MachineCost({ cost, asked }: { cost: Schemas["MachineCost"]; asked: boolean }) {
  const glass = useGlass().get(cost.id) ?? [];
  const moveSome = async () => {
    const mib = Math.ceil(cost.afterMib - cost.limitMib);
    const moves = await fewestMoves({ kind: "memory", machine: cost.id, mib, take: true });
    if (moves) tell(`${moves.text}.`);
  };
  const state = useApp((s) => s.rig.get(cost.id));
  const now = state?.online ? state.usedMib : cost.beforeMib;
  const then = asked ? cost.afterMib : cost.beforeMib; // once all that is called has arrived
  return (
    <div className="mt-2" data-machine={cost.name}>
      <div className="mb-0.5 flex justify-between">
        <span className="font-serif">{cost.name}</span>
        <span className="text-soft">
          {gib(now)}
          {gib(then) !== gib(now) && ` → ${gib(then)}`} of {gib(cost.limitMib)} GiB
        </span>
      </div>
      <MemoryGlass
        tall
        name={cost.name}
        parts={glass}
        limit={cost.limitMib}
        after={gib(then) !== gib(now) ? then : undefined}
      />
      {state && state.tookMs !== undefined && state.computedMs !== undefined && (
        <p className="mt-0.5 text-[12px] text-soft" data-part="took">
          last load: computed {wait(state.computedMs / 1000)}, took {wait(state.tookMs / 1000)}
        </p>
      )}
      {!cost.fits && (
        <p className="mt-1 text-accent">
          {cost.refusal}.{" "}
          {cost.rest.length > 0 && (
            <>
              <button type="button" className="link" onClick={() => select(cost.rest, cost.rest[0] ?? null)}>
                Select {cost.rest.length === 1 ? "it" : `those ${cost.rest.length}`}
              </button>
              {" · "}
            </>
          )}
          <button type="button" className="link" onClick={() => void moveSome()}>
            Move seats elsewhere
          </button>
        </p>
      )}
    </div>
  );
}

/** Arriving lists what is loading or has failed. */
function Arriving() {
  const sheet = useApp((s) => s.sheet)!;
  const states = useApp((s) => s.states);
  const rig = useApp((s) => s.rig);
  const list = [...states.values()].filter((s) => s.state !== "ready" && s.state !== "printed");
  const left = Math.max(0, ...[...rig.values()].map((m) => m.leftMs));
  if (list.length === 0) return null;
  return (
    <section className="border-line border-t px-3 py-2" data-part="arriving">
      <h3 className="mb-1 flex items-baseline gap-2 text-[15px]">
        Arriving
        <span className="font-normal font-sans text-[13px] text-soft">
          {list.length} to come{left > 0 && `, ${wait(left / 1000)} left`}
        </span>
        <button
          type="button"
          className="button ml-auto font-normal font-sans text-[13px]"
          onClick={() =>
            void call(
              list.map((s) => s.id),
              "rest",
            )
          }
        >
          Stop
        </button>
      </h3>
      {list.slice(0, 100).map((s) => {
        const i = sheet.instruments.byId.get(s.id);
        const machine = i?.seat ? sheet.machines.byId.get(i.seat.machine)?.name : "";
        return (
          <div key={s.id} className="flex h-[26px] items-center gap-2">
            <RestGlyph state={s.state} progress={s.progress} reason={s.reason} />
            <span className="min-w-0 flex-1 truncate">{i?.name}</span>
            <span className="min-w-0 truncate text-soft" title={s.reason}>
              {s.reason || `${machine}, riser ${i?.seat?.riser}`}
            </span>
            {s.state === "failed" || s.stalled ? (
              <button type="button" className="button h-6" onClick={() => void call([s.id], "call")}>
                Again
              </button>
            ) : (
              <span className="w-10 text-right">{Math.round(s.progress * 100)}%</span>
            )}
            <button
              type="button"
              className="button h-6"
              aria-label={`Stop loading ${i?.name}`}
              onClick={() => void call([s.id], "rest")}
            >
              Rest
            </button>
          </div>
        );
      })}
    </section>
  );
}
