import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";
import type { Schemas } from "../../model/api";
import { type Catalogue, changeCatalogue, takePatchList } from "../../model/catalogue";
import { set, tell } from "../../model/store";
import { plural } from "../../model/template";
import { type Decimal, DecimalChoice } from "../../parts/DecimalChoice";
import { ToldList } from "../../parts/ToldList";
import { Floating } from "../../shell/Floating";
import { PlayersDialog } from "./PlayersDialog";
import { VocabularyDialog } from "./VocabularyDialog";

/** MoreMenu is what concerns the catalogue as a whole. */
export function MoreMenu({ cat }: { cat: Catalogue }) {
  const file = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const [open, setOpen] = useState<"words" | "players" | null>(null);
  const [list, setList] = useState<{ file: File; report: Schemas["PatchListReport"] } | null>(null);
  const [decimal, setDecimal] = useState<Decimal>("");
  const [unsure, setUnsure] = useState<Schemas["Doubt"] | undefined>();
  const bring = async (f: File | undefined) => {
    if (!f) return;
    const report = await takePatchList(f, false);
    setDecimal("");
    setUnsure(report?.unsure);
    if (report) setList({ file: f, report });
  };
  const say = async (d: Decimal) => {
    setDecimal(d);
    const report = list && (await takePatchList(list.file, false, d || undefined));
    if (report) setList({ file: list.file, report });
  };
  const take = async () => {
    if (!list) return;
    const done = await takePatchList(list.file, true, decimal || undefined);
    setList(null);
    if (!done) return;
    tell(`${plural(done.added, "patch", "patches")} added, ${done.updated} changed.`);
    await client.invalidateQueries({ queryKey: ["patches"] });
  };
  const name = (middleC: number) =>
    void changeCatalogue(cat, { kind: "configure", name: "Catalogue", settings: { ...cat.settings, middleC } });
  return (
    <>
      <input
        ref={file}
        type="file"
        accept=".csv,.tsv,.txt"
        className="sr-only"
        tabIndex={-1}
        aria-label="Patch list"
        onChange={(e) => {
          void bring(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="button">More ▾</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="floating w-64 p-1" align="end" sideOffset={4}>
            <DropdownMenu.Item className="menu-item" onSelect={() => setOpen("words")}>
              Articulations and their names…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => setOpen("players")}>
              Players…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "hand" })}>
              One hand for all libraries…
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item className="menu-item" onSelect={() => file.current?.click()}>
              Bring in a patch list…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild>
              <a href="/api/catalogue/list" download>
                Take out the patch list
              </a>
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Label className="px-2 py-1 text-[12px] text-soft">Key 60 is called</DropdownMenu.Label>
            <DropdownMenu.RadioGroup value={String(cat.middleC)} onValueChange={(v) => name(Number(v))}>
              {[3, 4, 5].map((n) => (
                <DropdownMenu.RadioItem key={n} value={String(n)} className="menu-item">
                  C{n}
                  <DropdownMenu.ItemIndicator>•</DropdownMenu.ItemIndicator>
                </DropdownMenu.RadioItem>
              ))}
            </DropdownMenu.RadioGroup>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {open === "words" && <VocabularyDialog cat={cat} close={() => setOpen(null)} />}
      {open === "players" && <PlayersDialog cat={cat} close={() => setOpen(null)} />}
      {list && (
        <Floating title={`Bring in ${list.file.name}`} open onOpenChange={() => setList(null)} className="w-[560px]">
          {unsure && <DecimalChoice unsure={unsure} decimal={decimal} choose={(d) => void say(d)} />}
          <p className="mb-2">
            {list.report.added} new, {list.report.updated} changed, {list.report.same} as they are.
          </p>
          {list.report.problems.length > 0 && (
            <ul aria-label="Problems" className="mb-2 max-h-64 overflow-y-auto">
              {list.report.problems.map((p) => (
                <li key={`${p.line} ${p.column}`} className="text-accent">
                  ! line {p.line}
                  {p.column && `, ${p.column}`}: {p.reason}
                </li>
              ))}
            </ul>
          )}
          <ToldList told={list.report.told} />
          <p className="mb-3 text-soft">Columns: {list.report.columns.join(", ")}.</p>
          <div className="flex justify-end">
            <button
              type="button"
              className="button button-main"
              disabled={list.report.added + list.report.updated === 0}
              onClick={() => void take()}
            >
              Take the good lines
            </button>
          </div>
        </Floating>
      )}
    </>
  );
}
