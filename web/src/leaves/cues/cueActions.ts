import { films, removeCues, setStatus } from "../../model/film";
import { hearMusic, picture, showAt } from "../../model/picture";
import { take } from "../../model/saving";
import { set } from "../../model/store";
import type { Action } from "../../parts/Actions";

/** cueActions is what can be done with the chosen cues. */
export function cueActions(): Action[] {
  const { film, chosen } = films.getState();
  const list = film?.cues.filter((c) => chosen.has(c.id)) ?? [];
  const one = list.length === 1 ? list[0] : undefined;
  if (!film || list.length === 0) return [];
  return [
    { text: "Start…", run: () => set({ dialog: "start-cues" }) },
    { text: "Go to its start", off: !one, run: () => one && showAt(one.start) },
    { text: "Find tempi…", off: !one, run: () => set({ dialog: "tempi" }) },
    {
      text: picture.getState().music === one?.id ? "Close its music" : "Hear its music",
      off: !one?.music,
      run: () => one && void hearMusic(picture.getState().music === one.id ? null : one),
    },
    {
      text: "Set status",
      more: film.settings.statuses.map((s) => ({
        text: s,
        off: list.every((c) => c.status === s),
        run: () =>
          void setStatus(
            list.map((c) => c.id),
            s,
          ),
      })),
    },
    { text: "What has changed since it started", off: !one?.started, run: () => set({ dialog: "since-started" }) },
    {
      text: "Take out its click",
      off: !one,
      run: () => one && take(`/api/productions/${film.id}/cues/${one.id}/click`),
    },
    { text: "Archive it…", off: !one, run: () => set({ dialog: "archive" }) },
    { text: "Delete", hint: "Del", run: () => void removeCues(list.map((c) => c.id)) },
  ];
}
