import { films, removeCues, setStatus } from "../../model/film";
import { hearMusic, picture, showAt } from "../../model/picture";
import { take } from "../../model/saving";
import { set } from "../../model/store";
import type { Action } from "../../parts/Actions";
import { words } from "./words";

const say = words.cueActions;

/** cueActions is what can be done with the chosen cues. */
export function cueActions(): Action[] {
  const { film, chosen } = films.getState();
  const list = film?.cues.filter((c) => chosen.has(c.id)) ?? [];
  const one = list.length === 1 ? list[0] : undefined;
  if (!film || list.length === 0) return [];
  return [
    { text: say.start, run: () => set({ dialog: "start-cues" }) },
    { text: say.goToItsStart, off: !one, run: () => one && showAt(one.start) },
    { text: say.findTempi, off: !one, run: () => set({ dialog: "tempi" }) },
    {
      text: picture.getState().music === one?.id ? say.closeItsMusic : say.hearItsMusic,
      off: !one?.music,
      run: () => one && void hearMusic(picture.getState().music === one.id ? null : one),
    },
    {
      text: say.setStatus,
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
    { text: say.whatHasChangedSince, off: !one?.started, run: () => set({ dialog: "since-started" }) },
    {
      text: say.takeOutItsClick,
      off: !one,
      run: () => one && take(`/api/productions/${film.id}/cues/${one.id}/click`),
    },
    { text: say.archiveIt, off: !one, run: () => set({ dialog: "archive" }) },
    { text: "Delete", hint: "Del", run: () => void removeCues(list.map((c) => c.id)) },
  ];
}
