import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";
import type { Schemas } from "../../model/api";
import { type Catalogue, changeCatalogue, takePatchList } from "../../model/catalogue";
import { set, tell } from "../../model/store";

import { type Decimal, DecimalChoice } from "../../parts/DecimalChoice";
import { ToldList } from "../../parts/ToldList";
import { Floating } from "../../shell/Floating";
import { PlayersDialog } from "./PlayersDialog";
import { VocabularyDialog } from "./VocabularyDialog";
import { words } from "./words";

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
    tell(words.moreMenu.patchesAddedChanged(done.added, done.updated));
    await client.invalidateQueries({ queryKey: ["patches"] });
  };
  const name = (middleC: number) =>
    void changeCatalogue(cat, {
      kind: "configure",
      name: words.moreMenu.catalogue,
      settings: { ...cat.settings, middleC },
    });
  return (
    <>
      <input
        ref={file}
        type="file"
        accept=".csv,.tsv,.txt"
        className="sr-only"
        tabIndex={-1}
        aria-label={words.moreMenu.patchList}
        onChange={(e) => {
          void bring(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="button">{words.moreMenu.more}</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="floating w-64 p-1" align="end" sideOffset={4}>
            <DropdownMenu.Item className="menu-item" onSelect={() => setOpen("words")}>
              {words.moreMenu.articulationsAndTheirNames}
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => setOpen("players")}>
              {words.moreMenu.players}
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "hand" })}>
              {words.moreMenu.oneHandForAllLibraries}
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item className="menu-item" onSelect={() => file.current?.click()}>
              {words.moreMenu.bringInAPatchList}
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild>
              <a href="/api/catalogue/list" download>
                {words.moreMenu.takeOutThePatchList}
              </a>
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Label className="px-2 py-1 text-[12px] text-soft">
              {words.moreMenu.midiNote60IsWritten}
            </DropdownMenu.Label>
            <DropdownMenu.RadioGroup value={String(cat.middleC)} onValueChange={(v) => name(Number(v))}>
              {[3, 4, 5].map((n) => (
                <DropdownMenu.RadioItem key={n} value={String(n)} className="menu-item">
                  {words.moreMenu.c(n)}
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
        <Floating
          title={words.moreMenu.bringIn(list.file.name)}
          open
          onOpenChange={() => setList(null)}
          className="w-[560px]"
        >
          {unsure && <DecimalChoice unsure={unsure} decimal={decimal} choose={(d) => void say(d)} />}
          <p className="mb-2">
            {words.moreMenu.newChangedAsTheyAre(list.report.added, list.report.updated, list.report.same)}
          </p>
          {list.report.problems.length > 0 && (
            <ul aria-label={words.moreMenu.problems} className="mb-2 max-h-64 overflow-y-auto">
              {list.report.problems.map((p) => (
                <li key={`${p.line} ${p.column}`} className="text-accent">
                  {words.moreMenu.line(p.line, p.column && `, ${p.column}`, p.reason)}
                </li>
              ))}
            </ul>
          )}
          <ToldList told={list.report.told} />
          <p className="mb-3 text-soft">{words.moreMenu.columns(list.report.columns.join(", "))}</p>
          <div className="flex justify-end">
            <button
              type="button"
              className="button button-main"
              disabled={list.report.added + list.report.updated === 0}
              onClick={() => void take()}
            >
              {words.moreMenu.takeTheGoodLines}
            </button>
          </div>
        </Floating>
      )}
    </>
  );
}
