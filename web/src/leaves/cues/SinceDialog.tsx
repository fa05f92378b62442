import { queryOptions, useQuery } from "@tanstack/react-query";
import { answer, api, type Id } from "../../model/api";
import { called, films, startCues, useFilm } from "../../model/film";
import { attempt, set, useApp } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.sinceDialog;

const sinceStarted = (id: string, revision: number, template: number, cue: Id) =>
  queryOptions({
    queryKey: ["since-started", id, revision, template, cue],
    queryFn: () => answer(api.GET("/api/productions/{id}/cues/{cue}/since", { params: { path: { id, cue } } })),
    placeholderData: (before) => before,
    retry: false,
  });

const takeChange = (cue: Id, revision: number, take: boolean) =>
  attempt(() =>
    answer(
      api.POST("/api/productions/{id}/cues/{cue}/since", {
        params: { path: { id: films.getState().film!.id, cue } },
        body: { revision, take },
      }),
    ),
  );

/** SinceDialog lists what has changed in the template of a cue since it was started; single changes
 * are taken into the cue's own, from which its files are written again. */
export function SinceDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  const chosen = useFilm((s) => s.chosen);
  const sheet = useApp((s) => s.sheet);
  const cue = film?.cues.find((c) => chosen.has(c.id) && c.started);
  const { data, error } = useQuery({
    ...sinceStarted(film?.id ?? "", film?.revision ?? 0, sheet?.revision ?? 0, cue?.id ?? ""),
    enabled: cue !== undefined,
  });
  if (!film || !cue) return null;
  const took = cue.took?.length ?? 0;
  return (
    <Floating title={say.sinceWasStarted(called(cue))} open onOpenChange={close} className="w-[640px]">
      <p className="text-soft">{say.itHasItsTemplate(cue.version ?? "", took > 0 ? say.andLaterChanges(took) : "")}</p>
      {error && <p className="mt-2 text-accent">{error.message}</p>}
      <ul aria-label={say.changesSince} className="mt-2 max-h-[44vh] overflow-y-auto border-line border-y">
        {data?.map((c) => (
          <li key={c.revision}>
            <label className={`flex min-h-[26px] items-center gap-2 px-1 ${c.revision % 2 ? "bg-band" : ""}`}>
              <input
                type="checkbox"
                checked={c.taken}
                disabled={c.not !== ""}
                onChange={(e) => void takeChange(cue.id, c.revision, e.target.checked)}
              />
              <span className="w-10 shrink-0 text-right text-soft">{c.revision}</span>
              <span className="min-w-0 flex-1">
                {c.label}
                {c.not && <span className="block text-soft">{c.not}</span>}
              </span>
              <span className="shrink-0 text-soft">{c.by}</span>
            </label>
          </li>
        ))}
        {data?.length === 0 && <li className="py-1 text-soft">{say.nothingItHasTheTemplate}</li>}
      </ul>
      <div className="mt-3 flex gap-2">
        {sheet?.id === cue.template && (
          <button
            type="button"
            className="button"
            onClick={() =>
              set({ comparing: { template: cue.template!, revision: cue.version! }, dialog: "compare-templates" })
            }
          >
            {say.compareTheTwo}
          </button>
        )}
        <button
          type="button"
          className="button ml-auto"
          onClick={() => set({ dialog: "start-cues" })}
          title={say.fromTheTemplate}
        >
          {say.startItOver}
        </button>
        <button
          type="button"
          className="button button-main"
          title={say.fromItsOwnTemplate}
          onClick={() => void startCues([cue.id], { own: true, click: true })}
        >
          {say.writeItsFilesAgain}
        </button>
      </div>
    </Floating>
  );
}
