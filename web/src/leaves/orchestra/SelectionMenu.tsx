import { DropdownMenu } from "radix-ui";
import {
  addRows,
  again,
  call,
  change,
  duplicate,
  keep,
  keepSpares,
  ownSeats,
  pin,
  setAside,
} from "../../model/changing";
import { copyRows, duplicateSection, obey } from "../../model/delivering";
import { whereShown } from "../../model/sight";
import { get, set, useApp } from "../../model/store";
import { unprint } from "../calls/PrintDialog";
import { type Field, fieldNamed } from "./fields";

/** SelectionMenu is everything that can be done to the selection at once. */
export function SelectionMenu({ ask }: { ask: (f: Field) => void }) {
  const n = useApp((s) => s.selection.size);
  const ids = () => {
    const { sheet, selection } = get();
    return sheet!.instruments.order.filter((id) => selection.has(id));
  };
  const last = () => ids().at(-1) ?? null;
  const section = () => get().sheet?.sections.order[0];
  const rename = () => {
    const first = ids()[0];
    // once the menu has given its focus back
    setTimeout(() => set({ renaming: first ? (get().sheet!.instruments.byId.get(first)?.section ?? null) : null }), 50);
  };
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="button">{n > 0 ? `${n} selected` : "Rows"} ▾</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            className="floating grid max-h-[var(--radix-dropdown-menu-content-available-height)] w-[500px] grid-cols-2 overflow-y-auto p-1"
            align="end"
            sideOffset={4}
          >
            <DropdownMenu.Group className="border-line border-r pr-1">
              <Item text="Call, ready" hint="C" off={n === 0} run={() => void call(ids(), "call")} />
              <Item text="Rest, tacet" hint="X" off={n === 0} run={() => void call(ids(), "rest")} />
              <Item text="Call alone in its section" hint="⇧C" off={n === 0} run={() => void call(ids(), "solo")} />
              <Item text="Keep ready" off={n === 0} run={() => void keep(ids(), true)} />
              <Item text="No longer keep" off={n === 0} run={() => void keep(ids(), false)} />
              <Item text="Print it…" off={n !== 1} run={() => set({ dialog: "print" })} />
              <Item
                text="Let printed ones play again"
                off={n === 0}
                run={() => void unprint(ids().filter((id) => get().sheet!.instruments.byId.get(id)?.printed))}
              />
              <Line />
              {[
                "articulations",
                "stem",
                "machine",
                "library",
                "section",
                "colour",
                "section colour",
                "kind",
                "notes",
              ].map((key) => (
                <Item
                  key={key}
                  text={`Set ${key}…`}
                  hint={{ stem: "G S", machine: "G M", library: "G P" }[key] ?? ""}
                  off={n === 0}
                  run={() => ask(fieldNamed(key))}
                />
              ))}
              <Item text="Follow the stem rules again" off={n === 0} run={() => void obey(ids())} />
            </DropdownMenu.Group>
            <DropdownMenu.Group className="pl-1">
              <Item text="Name by a pattern…" run={() => set({ dialog: "names" })} />
              <Item text="Find and replace…" run={() => set({ dialog: "replace" })} />
              <Item text="Put in order…" run={() => set({ dialog: "order" })} />
              <Item text="Rename its section…" off={n === 0} run={rename} />
              <Line />
              <Item text="Lay out its articulations…" off={n === 0} run={() => set({ dialog: "layout" })} />
              <Item text="Its articulation map…" off={n !== 1} run={() => set({ dialog: "own-map" })} />
              <Item text="Play a part through it…" off={n !== 1} run={() => set({ dialog: "compile" })} />
              <Line />
              <Item text="New row below" hint="N" run={() => void addRows("sampled", 1, last(), section())} />
              <Item text="Eight spare rows below" run={() => void addRows("spare", 8, last(), section())} />
              <Item text="Fill up the spare rows" run={() => void keepSpares()} />
              <Item text="Duplicate with everything" hint="D" off={n === 0} run={() => void duplicate(ids())} />
              <Item text="Same again, on the same seat" hint="⇧D" off={n === 0} run={() => void again(ids())} />
              <Item text="Give it a seat of its own" off={n === 0} run={() => void ownSeats(ids())} />
              <Item
                text="Duplicate its section"
                off={n === 0}
                run={() => void duplicateSection(sectionOf(ids()[0]!))}
              />
              <Item text="Copy" hint="Ctrl C" off={n === 0} run={() => copyRows(ids())} />
              <Item text="Paste with routes" hint="Ctrl V" run={() => setTimeout(() => set({ dialog: "paste" }), 50)} />
              <Item text="Pin to the top" off={n === 0} run={() => void pin(ids(), true)} />
              <Item text="No longer pin" off={n === 0} run={() => void pin(ids(), false)} />
              <Item text="Set aside" off={n === 0} run={() => void setAside(ids(), true)} />
              <Item text="Bring back" off={n === 0} run={() => void setAside(ids(), false)} />
              <Item text="Where does it show?" off={n !== 1} run={() => whereShown(ids()[0]!)} />
              <Item text="Delete" hint="Del" off={n === 0} run={() => void change({ kind: "delete", ids: ids() })} />
            </DropdownMenu.Group>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <button type="button" className="button button-main" disabled={n === 0} onClick={() => void call(ids(), "call")}>
        Call {n || ""}
      </button>
    </>
  );
}

const sectionOf = (id: string) => get().sheet!.instruments.byId.get(id)!.section;

function Item({ text, hint = "", off, run }: { text: string; hint?: string; off?: boolean; run: () => void }) {
  return (
    <DropdownMenu.Item className="menu-item" disabled={off} onSelect={run}>
      {text} {hint && <span className="key">{hint}</span>}
    </DropdownMenu.Item>
  );
}

function Line() {
  return <DropdownMenu.Separator className="my-1 h-px bg-line" />;
}
