import { useQuery } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { branch, lock } from "../model/history";
import { openTemplate } from "../model/opening";
import { computed } from "../model/queries";
import { attempt, set, useApp } from "../model/store";
import { listed } from "../model/templates";
import { Actions } from "../parts/Actions";
import { words } from "./words";

const say = words.templateMenu;

/** How many others are one click away: those that were changed last. */
const mostOthers = 3;

/** TemplateMenu is the template's name; it opens the studio's others, makes
 * new ones, brings one in from a file, and leads to the settings. */
export function TemplateMenu() {
  const name = useApp((s) => s.sheet!.name);
  const locked = useApp((s) => s.sheet!.locked);
  const of = useApp((s) => s.sheet!.of !== undefined);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="-ml-1 flex min-w-24 items-baseline gap-1.5 rounded-[3px] px-1.5 py-0.5 hover:bg-band"
        aria-label={say.template(name)}
      >
        <h1 className="truncate text-[17px]">{name}</h1>
        <span aria-hidden="true">▾</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-64 p-1" align="start" sideOffset={4}>
          <Others />
          <Actions
            within="dropdown"
            list={[
              { text: say.allTemplates, run: () => set({ dialog: "templates" }) },
              { text: say.newTemplate, run: () => set({ dialog: "new" }) },
              { text: say.makeItReadyToPlay, run: () => set({ dialog: "ready" }) },
              {
                text: say.versions,
                more: [
                  { text: say.historyAndVersions, run: () => set({ dialog: "history" }) },
                  { text: say.compare, run: () => set({ dialog: "compare-templates" }) },
                  { text: say.readASessionBack, run: () => set({ dialog: "drift" }) },
                  { text: say.makeACopy, run: () => void branch(say.copy(name)) },
                  { text: locked ? say.unlock : say.lockAgainstChange, off: of, run: () => void lock(!locked) },
                ],
              },
              { text: say.shareByALink, run: () => set({ dialog: "links" }) },
              { text: say.nameAndSettings, run: () => set({ dialog: "settings" }) },
            ]}
          />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Others are the templates that were changed last, but the one that is open. */
function Others() {
  const id = useApp((s) => s.sheet!.id);
  const { data = [] } = useQuery(computed.templates());
  const others = listed(data, "changed", "")
    .there.filter((t) => t.id !== id)
    .slice(0, mostOthers);
  if (others.length === 0) return null;
  return (
    <>
      {others.map((t) => (
        <DropdownMenu.Item key={t.id} className="menu-item" onSelect={() => void attempt(() => openTemplate(t.id))}>
          <span className="truncate">{t.name}</span>
        </DropdownMenu.Item>
      ))}
      <DropdownMenu.Separator className="my-1 h-px bg-line" />
    </>
  );
}
