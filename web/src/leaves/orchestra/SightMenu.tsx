import { DropdownMenu } from "radix-ui";
import type { Id } from "../../model/api";
import {
  arrangement,
  forgetSightline,
  keepSightline,
  look,
  lookAside,
  makeSet,
  type Sightline,
  type SightSet,
  sightOf,
} from "../../model/sight";
import { set, useApp } from "../../model/store";
import { Actions, type Doing } from "../../parts/Actions";

const sets: [SightSet, string][] = [
  ["all", "All"],
  ["sections", "One for each section"],
  ["ready", "Ready only"],
  ["buses", "Groups and returns"],
  ["stems", "The stems of this fold"],
];

/** SightMenu switches between sightlines, and keeps, changes and makes them. */
export function SightMenu() {
  const sheet = useApp((s) => s.sheet)!;
  const sight = useApp((s) => s.sight);
  const selection = useApp((s) => s.selection);
  const asideOnly = useApp((s) => s.asideOnly);
  const now = sightOf(sheet, sight);
  let aside = 0;
  for (const i of sheet.instruments.byId.values()) if (i.aside) aside++;
  const selected = sheet.instruments.order.filter((id) => selection.has(id));
  const count = (id: string) => {
    let n = 0;
    for (const f of sheet.facts.values()) if (f.sights?.includes(id)) n++;
    return n;
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`button ${now || asideOnly ? "border-accent text-accent" : ""}`}
        aria-label={`Sightline: ${now?.name ?? "everything"}`}
        data-part="sight"
      >
        <span className="max-w-36 truncate">{asideOnly ? "Set aside" : (now?.name ?? "Everything")}</span> ▾
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating max-h-[70vh] w-64 overflow-y-auto p-1" align="start" sideOffset={4}>
          <DropdownMenu.RadioGroup
            value={asideOnly ? "aside" : (sight ?? "")}
            onValueChange={(id) => (id === "aside" ? lookAside() : look(id || null))}
          >
            <DropdownMenu.RadioItem value="" className="menu-item">
              Everything <span className="key">0</span>
            </DropdownMenu.RadioItem>
            {sheet.sightlines.map((s) => (
              <DropdownMenu.RadioItem key={s.id} value={s.id} className="menu-item">
                <span className="min-w-0 truncate">{s.name}</span>
                <span className="ml-auto pl-2 text-[12px] text-soft">
                  {s.match?.state || s.buses ? "" : count(s.id)}
                </span>
                {s.key && <span className="key">{s.key}</span>}
              </DropdownMenu.RadioItem>
            ))}
            {aside > 0 && (
              <DropdownMenu.RadioItem value="aside" className="menu-item">
                What is set aside <span className="ml-auto pl-2 text-[12px] text-soft">{aside}</span>
              </DropdownMenu.RadioItem>
            )}
          </DropdownMenu.RadioGroup>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <Actions
            within="dropdown"
            list={[
              { text: "New sightline…", run: () => set({ dialog: "sightline", sighting: null }) },
              ...(now ? [{ text: now.name, more: changes(now, selected) }] : []),
              { text: "Make several", more: sets.map(([key, text]) => ({ text, run: () => void makeSet([key]) })) },
            ]}
          />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** asNow is a sightline with leaves, folds and widths as they are now. */
function asNow({ folded: _, fold: __, ...rest }: Sightline): Sightline {
  return { ...rest, ...arrangement() };
}

/** changes is what can be done with the sightline that is looked along. */
function changes(now: Sightline, selected: readonly Id[]): Doing[] {
  const rows = now.rows ?? [];
  const none = !now.fixed || selected.length === 0;
  return [
    { text: "Change it…", run: () => set({ dialog: "sightline", sighting: now.id }) },
    { text: "Update it to what shows now", run: () => void keepSightline(asNow(now)) },
    {
      text: "Show the selected rows, too",
      off: none,
      run: () => void keepSightline({ ...now, rows: [...new Set([...rows, ...selected])] }),
    },
    {
      text: "Stop showing the selected rows",
      off: none,
      run: () => void keepSightline({ ...now, rows: rows.filter((id) => !selected.includes(id)) }),
    },
    { text: "Delete it", run: () => void forgetSightline(now.id) },
  ];
}
