import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { type FormEvent, useState } from "react";
import type { Call, Id } from "../../model/api";
import { call, change, saveCall } from "../../model/changing";
import { computed } from "../../model/queries";
import { set, useApp } from "../../model/store";
import { mib, plural, things, wait } from "../../model/template";
import { Empty } from "../../parts/Empty";

/** SavedCalls lists the named calls: what each takes and how long it waits. */
export function SavedCalls({ chosen, choose }: { chosen: Id | null; choose: (id: Id | null) => void }) {
  const sheet = useApp((s) => s.sheet)!;
  if (sheet.calls.order.length === 0)
    return (
      <Empty
        says="Saved calls stand here: a cue, a sketch, the opening of the day."
        steps={[
          { text: "From music…", run: () => set({ dialog: "music" }) },
          { text: "Small…", run: () => set({ dialog: "small" }) },
        ]}
      >
        Call some rows in the Orchestra and save what is ready under a name; or take the rows that a piece of music
        needs.
      </Empty>
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
  const client = useQueryClient();
  const make = async (how: "only" | "call") => {
    if (await call(saved.instruments, how, saved.id))
      await client.invalidateQueries({ queryKey: computed.callsUsed(sheet.id).queryKey });
  };
  const { data } = useQuery(computed.cost(sheet.id, sheet.revision, called, "only", saved.instruments));
  const memory = data?.takesMib ?? 0;
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
          {plural(saved.instruments.length, "row")} · {mib(memory)} with players and what stays ·{" "}
          {here ? (coming ? "arriving" : "ready now") : wait(seconds)}
        </span>
      </button>
      <button type="button" className="button" onClick={() => void make("only")}>
        Call it
      </button>
      <CallMenu saved={saved} make={make} />
    </li>
  );
}

/** CallMenu is what else can be done with a saved call. */
function CallMenu({ saved, make }: { saved: Call; make: (how: "only" | "call") => Promise<void> }) {
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
      <DropdownMenu.Trigger className="button px-2" aria-label={`Actions for the call ${saved.name}`}>
        ▾
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-64 p-1" align="end" sideOffset={4}>
          <DropdownMenu.Item className="menu-item" onSelect={() => void make("call")}>
            Call it beside what is ready
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void open()}>
            {saved.opening ? "No opening call" : "Make it the opening call"}
          </DropdownMenu.Item>
          {saved.uses && (
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "trim", trimming: saved.id })}>
              Trim to its music…
            </DropdownMenu.Item>
          )}
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

/** SaveForm keeps what is ready as a named call. */
export function SaveForm({ any }: { any: boolean }) {
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
