import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../model/api";
import { films, useFilm } from "../../model/film";
import { attempt } from "../../model/store";
import { PastLine } from "../../parts/PastLine";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.filmHistoryDialog;

const filmHistory = (id: string, revision: number, before: number) =>
  queryOptions({
    queryKey: ["film-history", id, revision, before],
    queryFn: () =>
      answer(
        api.GET("/api/productions/{id}/history", { params: { path: { id }, query: before > 0 ? { before } : {} } }),
      ),
    placeholderData: (was) => was,
  });

const takeBack = (revision: number) =>
  attempt(() =>
    answer(
      api.POST("/api/productions/{id}/history/{revision}/take-back", {
        params: { path: { id: films.getState().film!.id, revision } },
      }),
    ),
  );

/** FilmHistoryDialog lists every change of a production, each of which can be taken back alone. */
export function FilmHistoryDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  const [before, setBefore] = useState(0);
  const { data } = useQuery({ ...filmHistory(film?.id ?? "", film?.revision ?? 0, before), enabled: film !== null });
  const oldest = data?.at(-1)?.revision ?? 1;
  return (
    <Floating title={say.historyOfTheProduction} open onOpenChange={close} className="w-[700px]">
      <ul aria-label={say.changesOfTheProduction} className="max-h-[56vh] overflow-y-auto border-line border-y">
        {data?.map((c) => (
          <li key={c.revision}>
            <PastLine change={c} takeBack={takeBack} />
          </li>
        ))}
        {data?.length === 0 && <li className="py-2 text-soft">{say.nothingHasChangedYet}</li>}
      </ul>
      <div className="mt-3 flex gap-2">
        <button type="button" className="button" disabled={before === 0} onClick={() => setBefore(0)}>
          {say.newest}
        </button>
        <button type="button" className="button" disabled={oldest <= 1} onClick={() => setBefore(oldest)}>
          {say.older}
        </button>
      </div>
    </Floating>
  );
}
