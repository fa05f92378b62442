import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { called, inOrder, startCues, useFilm } from "../../model/film";
import { computed } from "../../model/queries";
import { useApp } from "../../model/store";
import { things } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.startDialog;

/** StartDialog starts cues from a template: a folder for each, that a sequencer opens at the right
 * place. What it proposes is that of the cue before. */
export function StartDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  const chosen = useFilm((s) => s.chosen);
  const sheet = useApp((s) => s.sheet)!;
  const { data: templates } = useQuery(computed.templates());
  const order = film ? inOrder(film) : [];
  const at = order.findIndex((c) => chosen.has(c.id));
  const before = order.slice(0, Math.max(0, at)).findLast((c) => c.template && c.started);
  const [template, setTemplate] = useState(order[at]?.template ?? before?.template ?? sheet.id);
  const [call, setCall] = useState(() => {
    const own = order[at]?.call || before?.call;
    if (own && sheet.calls.byId.has(own)) return own;
    const named = things(sheet.calls).find((c) => order[at]?.number && c.name.startsWith(order[at].number));
    return named?.id ?? "";
  });
  const [click, setClick] = useState(true);
  const [busy, setBusy] = useState(false);
  if (!film || at < 0) return null;
  const here = template === sheet.id;
  const start = async () => {
    setBusy(true);
    const done = await startCues([...chosen], { template, click, ...(here && call ? { call } : {}) });
    setBusy(false);
    if (done) close();
  };
  const what = chosen.size === 1 ? called(order[at]!) : say.cues(chosen.size);
  return (
    <Floating title={say.start(what)} open onOpenChange={close} className="w-[520px]">
      <p className="mb-3 text-soft">{say.aFolderForEachCue}</p>
      <div className="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2">
        <label htmlFor="start-template">{say.template}</label>
        <select id="start-template" className="field" value={template} onChange={(e) => setTemplate(e.target.value)}>
          {(templates ?? [])
            .filter((t) => !t.endsAt)
            .map((t) => (
              <option key={t.id} value={t.id}>
                {t.name}
              </option>
            ))}
        </select>
        <label htmlFor="start-call">{say.ready}</label>
        <select
          id="start-call"
          className="field"
          value={here ? call : ""}
          disabled={!here}
          title={here ? undefined : say.openThatTemplateToChoose}
          onChange={(e) => setCall(e.target.value)}
        >
          <option value="">{say.everyRow}</option>
          {things(sheet.calls).map((c) => (
            <option key={c.id} value={c.id}>
              {c.name}
            </option>
          ))}
        </select>
        <span />
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={click} onChange={(e) => setClick(e.target.checked)} />
          {say.withATrackOfClicks}
        </label>
      </div>
      <div className="mt-3 flex justify-end gap-2">
        <button type="button" className="button" onClick={close}>
          {say.cancel}
        </button>
        <button type="button" className="button button-main" disabled={busy || !template} onClick={() => void start()}>
          {say.start(what)}
        </button>
      </div>
    </Floating>
  );
}
