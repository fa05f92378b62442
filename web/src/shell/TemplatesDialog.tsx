import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { openTemplate, takeFile } from "../model/opening";
import { computed } from "../model/queries";
import { attempt, remember, remembered, set, useApp } from "../model/store";
import { when } from "../model/template";
import { bringBack, deleteTemplate, type Listed, listed, type Order, orders } from "../model/templates";
import { ChooseFile } from "../parts/ChooseFile";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.templatesDialog;

/** TemplatesDialog lists the templates of the studio, with what each is for, and who changed it when;
 * those that were deleted can be brought back. */
export function TemplatesDialog({ close }: { close: () => void }) {
  const id = useApp((s) => s.sheet!.id);
  const { data = [] } = useQuery(computed.templates());
  const client = useQueryClient();
  const [order, setOrder] = useState<Order>(() => remembered<Order>("templates", "changed"));
  const [words, setWords] = useState("");
  const { there, deleted } = listed(data, order, words);
  const again = () => client.invalidateQueries({ queryKey: ["templates"] });
  const open = (to: string) => {
    close();
    if (to !== id) void attempt(() => openTemplate(to));
  };
  const remove = async (t: Listed) => {
    if (await deleteTemplate(t)) await again();
  };
  return (
    <Floating title={say.allTemplates} open onOpenChange={close} className="w-[640px]">
      <form
        className="mb-2 flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (there[0]) open(there[0].id);
        }}
      >
        <input
          className="field min-w-0 flex-1"
          aria-label={say.findATemplate}
          placeholder={say.findByNameWhat}
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <label className="flex items-center gap-1.5">
          {say.sortBy}
          <select
            className="field"
            value={order}
            onChange={(e) => {
              const to = e.target.value as Order;
              setOrder(to);
              remember("templates", to);
            }}
          >
            {Object.entries(orders).map(([key, text]) => (
              <option key={key} value={key}>
                {text}
              </option>
            ))}
          </select>
        </label>
      </form>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard */}
      <div className="min-h-0 overflow-y-auto" tabIndex={0} role="region" aria-label={say.templates}>
        <ul>
          {there.map((t) => (
            <li
              key={t.id}
              data-template={t.name}
              aria-current={t.id === id}
              className={`flex items-start gap-3 border-line border-b px-2 py-2 ${t.id === id ? "bg-chosen" : ""}`}
            >
              <button type="button" className="min-w-0 flex-1 text-left" onClick={() => open(t.id)}>
                <span className="block truncate font-medium">{t.name}</span>
                {t.about && <span className="line-clamp-2 block text-soft">{t.about}</span>}
                <span className="block text-[12px] text-soft">{toldOf(t)}</span>
              </button>
              {t.id === id ? (
                <span className="text-[12px] text-soft">{say.openNow}</span>
              ) : (
                <button
                  type="button"
                  className="button"
                  aria-label={say.delete(t.name)}
                  disabled={t.locked}
                  title={t.locked ? say.itIsLocked : say.itCanBeBroughtBack}
                  onClick={() => void remove(t)}
                >
                  {say.Delete}
                </button>
              )}
            </li>
          ))}
        </ul>
        {there.length === 0 && <p className="px-2 py-3 text-soft">{say.noTemplateHasThatName}</p>}
        {deleted.length > 0 && (
          <details className="mt-2" open={words !== ""} data-part="deleted">
            <summary className="cursor-pointer px-2 py-1">{say.deleted(deleted.length)}</summary>
            <ul>
              {deleted.map((t) => (
                <li key={t.id} data-deleted={t.name} className="flex items-center gap-3 border-line border-b px-2 py-2">
                  <span className="min-w-0 flex-1 truncate">
                    {t.name} <span className="text-soft">{ends(t)}</span>
                  </span>
                  <button
                    type="button"
                    className="button"
                    aria-label={say.bringBack(t.name)}
                    onClick={() => void bringBack(t.id).then((done) => done && close())}
                  >
                    {say.BringBack}
                  </button>
                </li>
              ))}
            </ul>
          </details>
        )}
      </div>
      <div className="mt-3 flex justify-end gap-2">
        <ChooseFile
          accept=".json"
          label={say.templateFileToBringIn}
          take={(f) => {
            close();
            void takeFile(f);
          }}
        >
          {say.bringInAFile}
        </ChooseFile>
        <button type="button" className="button button-main" onClick={() => set({ dialog: "new" })}>
          {say.newTemplate}
        </button>
      </div>
    </Floating>
  );
}

/** toldOf is who changed a template when, and how large it is. */
function toldOf(t: Listed): string {
  const size = t.rows > 0 ? `${say.instruments(t.rows)} · ` : "";
  const lock = t.locked ? say.locked : "";
  return `${size}${t.changedBy ? say.changedBy(when(t.changedAt), t.changedBy) : say.made(when(t.changedAt))}${lock}`;
}

/** ends is when a template that was deleted goes for good; one with prints stays. */
const ends = (t: Listed) =>
  Date.parse(t.endsAt!) > Date.now() ? say.goesForGoodOn(when(t.endsAt!)) : say.staysWhileThereArePrints;
