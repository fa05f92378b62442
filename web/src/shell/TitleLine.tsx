import { useQuery } from "@tanstack/react-query";
import { Redo2, Search, Undo2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { redo, undo } from "../model/changing";
import { signOut } from "../model/opening";
import { computed } from "../model/queries";
import { pageId } from "../model/sending";
import { explain, set, useApp } from "../model/store";
import { gib, things } from "../model/template";
import { MemoryGlass } from "../parts/MemoryGlass";
import { useGlass } from "../parts/useGlass";
import { Mark } from "./Mark";
import { TemplateMenu } from "./TemplateMenu";
import { setTheme, type Theme, theme } from "./theme";
import { words } from "./words";

const say = words.titleLine;

export function TitleLine() {
  const sheet = useApp((s) => s.sheet)!;
  const connected = useApp((s) => s.connected);
  const crowded = useApp((s) => [...s.rig.values()].reduce((sum, m) => sum + m.crowded, 0));
  const marks = sheet.marks + crowded; // with what other templates cause
  const { data: can } = useQuery(computed.undoable(sheet.id, sheet.revision));
  return (
    <header className="flex h-[46px] shrink-0 items-center gap-3 bg-paper px-3">
      <Mark />
      <TemplateMenu />
      {connected ? (
        <button
          type="button"
          className="link shrink-0 text-soft max-[760px]:hidden"
          data-revision={sheet.revision}
          title={say.historyAndVersions}
          onClick={() => set({ dialog: "history" })}
        >
          {say.revision((sheet.at ?? sheet.revision).toLocaleString("en"))}
        </button>
      ) : (
        <span className="shrink-0 text-soft" data-revision={sheet.revision}>
          {say.theServerDoesNotAnswer}
        </span>
      )}
      <button
        type="button"
        className="button ml-2 h-8 min-w-40 flex-1 justify-start text-soft max-[760px]:min-w-9"
        onClick={() => set({ dialog: "finder" })}
        style={{ maxWidth: 260 }}
      >
        <Search size={14} aria-hidden="true" className="shrink-0" />{" "}
        <span className="truncate">{say.findAnything}</span>{" "}
        <span className="key ml-auto max-[760px]:hidden">{say.ctrlK}</span>
      </button>
      <Others />
      <RigBars />
      <button
        type="button"
        className={`button h-8 shrink-0 max-[960px]:ml-auto ${marks > 0 ? "border-accent text-accent" : ""}`}
        onClick={() => set({ dialog: "marks" })}
        data-badge="marks"
      >
        {marks === 0 ? say.proved : say.marks(marks)}
      </button>
      <div className="flex shrink-0">
        <IconButton
          label={can?.undo ? say.undo(can.undo) : say.nothingToUndo}
          disabled={!can?.undo}
          onClick={() => void undo()}
        >
          <Undo2 size={16} />
        </IconButton>
        <IconButton
          label={can?.redo ? say.redo(can.redo) : say.nothingToRedo}
          disabled={!can?.redo}
          onClick={() => void redo()}
        >
          <Redo2 size={16} />
        </IconButton>
        <Menu />
      </div>
    </header>
  );
}

/** Others are who else has the template open, and how much they have selected. */
function Others() {
  const here = useApp((s) => s.here);
  const browser = pageId;
  const others = here.filter((h) => h.id !== browser);
  if (others.length === 0) return null;
  const said = others.map((h) => (h.count > 0 ? say.selected(h.name, h.count) : h.name)).join("; ");
  return (
    <span
      className="min-w-0 max-w-32 shrink truncate text-[12px] text-soft"
      data-part="others"
      title={say.alsoHere(said)}
    >
      {say.with(others.length > 2 ? say.others(others.length) : others.map((h) => h.name).join(", "))}
    </span>
  );
}

function RigBars() {
  const sheet = useApp((s) => s.sheet)!;
  const rig = useApp((s) => s.rig);
  const glass = useGlass();
  return (
    <div className="ml-auto flex gap-3 max-[960px]:hidden" data-part="rig">
      {things(sheet.machines)
        .slice(0, 3)
        .map((m) => {
          const state = rig.get(m.id);
          return (
            <div key={m.id} className="w-[118px]" data-machine={m.name} data-online={state?.online ? "yes" : "no"}>
              <div className="flex justify-between gap-2 text-[12px]">
                <span className="truncate">{m.name}</span>
                <span className="shrink-0 text-soft">
                  {state?.online ? say.ofGib(gib(state.usedMib), gib(state.limitMib)) : say.away}
                </span>
              </div>
              <MemoryGlass name={m.name} parts={glass.get(m.id) ?? []} limit={state?.limitMib ?? 1} />
            </div>
          );
        })}
    </div>
  );
}

function IconButton({
  label,
  ...rest
}: {
  label: string;
  disabled?: boolean;
  onClick?: () => void;
  children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      className="grid size-8 place-items-center rounded-[3px] hover:bg-band disabled:opacity-40"
      {...rest}
    />
  );
}

function Menu() {
  const person = useApp((s) => s.person);
  const readyOnly = useApp((s) => s.readyOnly);
  const choose = (t: string) => setTheme(t as Theme);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="button ml-1 h-8" aria-label={say.viewAndAccount}>
        {say.view}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-56 p-1" align="end" sideOffset={4}>
          <DropdownMenu.Sub>
            <DropdownMenu.SubTrigger className="menu-item">
              {say.theme} <span aria-hidden="true">▸</span>
            </DropdownMenu.SubTrigger>
            <DropdownMenu.Portal>
              <DropdownMenu.SubContent className="floating w-44 p-1">
                <DropdownMenu.RadioGroup value={theme()} onValueChange={choose}>
                  {(["day", "pit", "system"] as const).map((t) => (
                    <DropdownMenu.RadioItem key={t} value={t} className="menu-item">
                      {{ day: say.Day, pit: say.Pit, system: say.asTheSystem }[t]}
                      <DropdownMenu.ItemIndicator>•</DropdownMenu.ItemIndicator>
                    </DropdownMenu.RadioItem>
                  ))}
                </DropdownMenu.RadioGroup>
              </DropdownMenu.SubContent>
            </DropdownMenu.Portal>
          </DropdownMenu.Sub>
          <DropdownMenu.CheckboxItem
            className="menu-item"
            checked={readyOnly}
            onCheckedChange={(on) => set({ readyOnly: on })}
          >
            {say.readyOnly} <DropdownMenu.ItemIndicator>•</DropdownMenu.ItemIndicator>
          </DropdownMenu.CheckboxItem>
          <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "palette" })}>
            {say.palette}
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "keys" })}>
            {say.keys} <span className="key">?</span>
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => explain("start")}>
            {say.guide} <span className="key">{say.f1}</span>
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "members" })}>
            {say.members}
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "links" })}>
            {say.linksForPeopleOutside}
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "account" })}>
            {say.yourAccount}
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void signOut()}>
            {say.signOut(person?.name ?? "")}
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
