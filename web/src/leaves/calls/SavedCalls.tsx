import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { type FormEvent, useState } from "react";
import type { Call, Id } from "../../model/api";
import { call, change, saveCall } from "../../model/changing";
import { computed } from "../../model/queries";
import { set, useApp } from "../../model/store";
import { mib, things, wait } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { words } from "./words";

const say = words.savedCalls;

/** SavedCalls lists the named calls: what each takes and how long it waits. */
export function SavedCalls({ chosen, choose }: { chosen: Id | null; choose: (id: Id | null) => void }) {
  const sheet = useApp((s) => s.sheet)!;
  if (sheet.calls.order.length === 0)
    return (
      <Empty
        says={say.savedCallsStandHere}
        steps={[
          { text: say.fromMusic, run: () => set({ dialog: "music" }) },
          { text: say.small, run: () => set({ dialog: "small" }) },
        ]}
      >
        {say.callSomeRows}
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
          {saved.opening && <span className="font-normal text-[12px] text-soft"> {say.opens}</span>}
          {saved.uses && <span className="font-normal text-[12px] text-soft"> {say.fromItsMusic}</span>}
        </span>
        <span className="text-[12px] text-soft">
          {say.rowsWithPlayersAndWhat(
            saved.instruments.length,
            mib(memory),
            here ? (coming ? say.arriving : say.readyNow) : wait(seconds),
          )}
        </span>
      </button>
      <button type="button" className="button" onClick={() => void make("only")}>
        {say.callIt}
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
      <DropdownMenu.Trigger className="button px-2" aria-label={say.actionsForTheCall(saved.name)}>
        ▾
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-64 p-1" align="end" sideOffset={4}>
          <DropdownMenu.Item className="menu-item" onSelect={() => void make("call")}>
            {say.callItBesideWhat}
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void open()}>
            {saved.opening ? say.noOpeningCall : say.makeItTheOpeningCall}
          </DropdownMenu.Item>
          {saved.uses && (
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "trim", trimming: saved.id })}>
              {say.trimToItsMusic}
            </DropdownMenu.Item>
          )}
          <DropdownMenu.Item className="menu-item" asChild>
            <a href={`/api/templates/${id}/calls/${saved.id}/midi`} download>
              {say.takeOutAsMidi}
            </a>
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void change({ kind: "drop", calls: [saved.id] })}>
            {say.forgetIt}
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
        aria-label={say.nameOfTheCall}
        placeholder={say.saveWhatIsReadyAs}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button type="submit" className="button" disabled={!any || name.trim() === ""}>
        {say.save}
      </button>
    </form>
  );
}
