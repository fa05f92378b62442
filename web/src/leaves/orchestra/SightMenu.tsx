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
import { words } from "./words";

const say = words.sightMenu;

const sets: [SightSet, string][] = [
  ["all", say.all],
  ["sections", say.oneForEachSection],
  ["ready", say.readyOnly],
  ["buses", say.groupsAndReturns],
  ["stems", say.theStemsOfThisFold],
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
        aria-label={say.sightline(now?.name ?? say.everything)}
        data-part="sight"
      >
        <span className="max-w-36 truncate">{asideOnly ? say.setAside : (now?.name ?? say.Everything)}</span> ▾
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating max-h-[70vh] w-64 overflow-y-auto p-1" align="start" sideOffset={4}>
          <DropdownMenu.RadioGroup
            value={asideOnly ? "aside" : (sight ?? "")}
            onValueChange={(id) => (id === "aside" ? lookAside() : look(id || null))}
          >
            <DropdownMenu.RadioItem value="" className="menu-item">
              {say.Everything} <span className="key">0</span>
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
                {say.whatIsSetAside} <span className="ml-auto pl-2 text-[12px] text-soft">{aside}</span>
              </DropdownMenu.RadioItem>
            )}
          </DropdownMenu.RadioGroup>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <Actions
            within="dropdown"
            list={[
              { text: say.newSightline, run: () => set({ dialog: "sightline", sighting: null }) },
              ...(now ? [{ text: now.name, more: changes(now, selected) }] : []),
              { text: say.makeSeveral, more: sets.map(([key, text]) => ({ text, run: () => void makeSet([key]) })) },
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
    { text: say.changeIt, run: () => set({ dialog: "sightline", sighting: now.id }) },
    { text: say.updateItToWhatShows, run: () => void keepSightline(asNow(now)) },
    {
      text: say.showTheSelectedRowsToo,
      off: none,
      run: () => void keepSightline({ ...now, rows: [...new Set([...rows, ...selected])] }),
    },
    {
      text: say.stopShowingTheSelectedRows,
      off: none,
      run: () => void keepSightline({ ...now, rows: rows.filter((id) => !selected.includes(id)) }),
    },
    { text: say.deleteIt, run: () => void forgetSightline(now.id) },
  ];
}
