import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { openTemplate, takeFile } from "../model/opening";
import { computed } from "../model/queries";
import { attempt, remember, remembered, set, useApp } from "../model/store";
import { plural, when } from "../model/template";
import { bringBack, deleteTemplate, type Listed, listed, type Order, orders } from "../model/templates";
import { ChooseFile } from "../parts/ChooseFile";
import { Floating } from "./Floating";

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
    <Floating title="All templates" open onOpenChange={close} className="w-[640px]">
      <form
        className="mb-2 flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (there[0]) open(there[0].id);
        }}
      >
        <input
          className="field min-w-0 flex-1"
          aria-label="Find a template"
          placeholder="Find by name, what it is for, or who changed it"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <label className="flex items-center gap-1.5">
          Sort by
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
      <div className="min-h-0 overflow-y-auto" tabIndex={0} role="region" aria-label="Templates">
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
                <span className="text-[12px] text-soft">open now</span>
              ) : (
                <button
                  type="button"
                  className="button"
                  aria-label={`Delete ${t.name}`}
                  disabled={t.locked}
                  title={t.locked ? "It is locked" : "It can be brought back for thirty days"}
                  onClick={() => void remove(t)}
                >
                  Delete
                </button>
              )}
            </li>
          ))}
        </ul>
        {there.length === 0 && <p className="px-2 py-3 text-soft">No template is called so.</p>}
        {deleted.length > 0 && (
          <details className="mt-2" open={words !== ""} data-part="deleted">
            <summary className="cursor-pointer px-2 py-1">{deleted.length} deleted</summary>
            <ul>
              {deleted.map((t) => (
                <li key={t.id} data-deleted={t.name} className="flex items-center gap-3 border-line border-b px-2 py-2">
                  <span className="min-w-0 flex-1 truncate">
                    {t.name} <span className="text-soft">{ends(t)}</span>
                  </span>
                  <button
                    type="button"
                    className="button"
                    aria-label={`Bring back ${t.name}`}
                    onClick={() => void bringBack(t.id).then((done) => done && close())}
                  >
                    Bring back
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
          label="Template file to bring in"
          take={(f) => {
            close();
            void takeFile(f);
          }}
        >
          Bring in a file…
        </ChooseFile>
        <button type="button" className="button button-main" onClick={() => set({ dialog: "new" })}>
          New template…
        </button>
      </div>
    </Floating>
  );
}

/** toldOf is who changed a template when, and how large it is. */
function toldOf(t: Listed): string {
  const size = t.rows > 0 ? `${plural(t.rows, "instrument")} · ` : "";
  const lock = t.locked ? " · locked" : "";
  return `${size}${t.changedBy ? `changed ${when(t.changedAt)} by ${t.changedBy}` : `made ${when(t.changedAt)}`}${lock}`;
}

/** ends is when a template that was deleted goes for good; one with prints stays. */
const ends = (t: Listed) =>
  Date.parse(t.endsAt!) > Date.now() ? `goes for good on ${when(t.endsAt!)}` : "stays while there are prints of it";
