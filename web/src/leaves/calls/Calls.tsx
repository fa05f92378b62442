import { DropdownMenu } from "radix-ui";
import { useMemo, useState } from "react";
import type { Id } from "../../model/api";
import { call } from "../../model/changing";
import { set, useApp } from "../../model/store";
import { inUse, mib, things } from "../../model/template";
import { type Action, Actions } from "../../parts/Actions";
import { LeafHead } from "../../parts/LeafHead";
import { Arriving } from "./Arriving";
import { Before } from "./Before";
import { MadeOf } from "./MadeOf";
import { SavedCalls, SaveForm } from "./SavedCalls";
import { words } from "./words";

const say = words.calls;

/** Beside each other where there is room, else one below the other. */
const column = "@min-[860px]:min-h-0 @min-[860px]:min-w-0 @min-[860px]:flex-1 @min-[860px]:overflow-y-auto";

export function Calls() {
  const sheet = useApp((s) => s.sheet)!;
  const states = useApp((s) => s.states);
  const selection = useApp((s) => s.selection);
  const [chosen, setChosen] = useState<Id | null>(null);
  const picked = chosen ? sheet.calls.byId.get(chosen) : undefined;
  const ready = [...states.values()].filter((s) => s.state === "ready");
  const total = useApp((s) => inUse(s.rig.values()));
  const opening = things(sheet.calls).find((c) => c.opening);
  const all = [...states.values()].filter((s) => s.state !== "printed").map((s) => s.id);
  const about = useMemo(
    () => (picked ? new Set(picked.instruments) : selection.size > 0 ? selection : new Set(all)),
    [picked, selection, states],
  );
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title={say.calls} note={say.readyWithTheirPlayers(ready.length, mib(total))}>
        {opening && all.length === 0 && (
          <button
            type="button"
            className="button button-main"
            onClick={() => void call(opening.instruments, "only", opening.id)}
          >
            {say.open}
          </button>
        )}
        <button type="button" className="button" onClick={() => set({ dialog: "music" })}>
          {say.fromMusic}
        </button>
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="button">{say.more} ▾</DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="floating w-52 p-1" align="end" sideOffset={4}>
              <Actions list={more(sheet.calls.order.length > 0)} within="dropdown" />
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
        <button type="button" className="button" disabled={all.length === 0} onClick={() => void call(all, "rest")}>
          {say.restAll}
        </button>
      </LeafHead>
      <div className="@container flex min-h-0 flex-1 flex-col">
        <div
          className="min-h-0 flex-1 overflow-y-auto @min-[860px]:flex @min-[860px]:overflow-hidden"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
          tabIndex={0}
          role="region"
          aria-label={say.callsAndMemory}
        >
          <div className={`${column} @min-[860px]:border-line @min-[860px]:border-r`}>
            <SavedCalls chosen={chosen} choose={setChosen} />
            <SaveForm any={all.length > 0} />
          </div>
          <div className={column}>
            <Before picked={picked} selected={selection} />
            <MadeOf picked={picked} ids={about} />
            <Arriving />
          </div>
        </div>
      </div>
    </div>
  );
}

/** more is what is asked of calls now and then. */
const more = (any: boolean): Action[] => [
  { text: say.byBar, run: () => set({ dialog: "by-bar" }) },
  { text: say.dust, run: () => set({ dialog: "dust" }) },
  { text: say.small, run: () => set({ dialog: "small" }) },
  { text: say.compare, off: !any, run: () => set({ dialog: "compare-calls" }) },
];
