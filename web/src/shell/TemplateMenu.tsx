import { useQuery } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useRef } from "react";
import { branch, lock } from "../model/history";
import { openTemplate, takeFile } from "../model/opening";
import { computed } from "../model/queries";
import { attempt, set, useApp } from "../model/store";

/** TemplateMenu is the template's name; it opens the studio's others, makes
 * new ones, brings one in from a file, and leads to the settings. */
export function TemplateMenu() {
  const id = useApp((s) => s.sheet!.id);
  const name = useApp((s) => s.sheet!.name);
  const revision = useApp((s) => s.sheet!.revision);
  const locked = useApp((s) => s.sheet!.locked);
  const of = useApp((s) => s.sheet!.of !== undefined);
  const { data } = useQuery(computed.templates(id, revision));
  const file = useRef<HTMLInputElement>(null);
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          className="-ml-1 flex min-w-0 items-baseline gap-1.5 rounded-[3px] px-1.5 py-0.5 hover:bg-band"
          aria-label={`Template: ${name}`}
        >
          <h1 className="truncate text-[17px]">{name}</h1>
          <span aria-hidden="true">▾</span>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="floating w-64 p-1" align="start" sideOffset={4}>
            <DropdownMenu.RadioGroup value={id} onValueChange={(to) => void attempt(() => openTemplate(to))}>
              {data?.map((t) => (
                <DropdownMenu.RadioItem key={t.id} value={t.id} className="menu-item">
                  <span className="truncate">{t.name}</span>
                  <DropdownMenu.ItemIndicator>•</DropdownMenu.ItemIndicator>
                </DropdownMenu.RadioItem>
              ))}
            </DropdownMenu.RadioGroup>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "new" })}>
              New template…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => file.current?.click()}>
              Bring in a template file…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "ready" })}>
              Make it ready to play…
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "history" })}>
              History and versions…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "drift" })}>
              Read a session back…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "compare-templates" })}>
              Compare…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "links" })}>
              Share by a link…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => void branch(`${name}, copy`)}>
              Make a copy
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" disabled={of} onSelect={() => void lock(!locked)}>
              {locked ? "Unlock" : "Lock against change"}
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "settings" })}>
              Name and settings…
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <input
        ref={file}
        type="file"
        accept=".json"
        className="hidden"
        aria-label="Template file"
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          e.target.value = "";
          if (chosen) void takeFile(chosen);
        }}
      />
    </>
  );
}
