import { DropdownMenu } from "radix-ui";
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
          <Item text="New sightline…" run={() => set({ dialog: "sightline", sighting: null })} />
          {now && (
            <>
              <Item text={`Change ${now.name}…`} run={() => set({ dialog: "sightline", sighting: now.id })} />
              <Item text="Update it to what shows now" run={() => void keepSightline(asNow(now))} />
              {now.fixed && selected.length > 0 && (
                <>
                  <Item
                    text="Show what is selected, too"
                    run={() => void keepSightline({ ...now, rows: [...new Set([...(now.rows ?? []), ...selected])] })}
                  />
                  <Item
                    text="Stop showing it"
                    run={() =>
                      void keepSightline({ ...now, rows: (now.rows ?? []).filter((id) => !selected.includes(id)) })
                    }
                  />
                </>
              )}
              <Item text="Forget it" run={() => void forgetSightline(now.id)} />
            </>
          )}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Label className="px-2 py-1 text-[12px] text-soft">Make several at once</DropdownMenu.Label>
          {sets.map(([key, text]) => (
            <Item key={key} text={text} run={() => void makeSet([key])} />
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** asNow is a sightline with leaves, folds and widths as they are now. */
function asNow({ folded: _, fold: __, ...rest }: Sightline): Sightline {
  return { ...rest, ...arrangement() };
}

function Item({ text, run }: { text: string; run: () => void }) {
  return (
    <DropdownMenu.Item className="menu-item" onSelect={run}>
      <span className="truncate">{text}</span>
    </DropdownMenu.Item>
  );
}
