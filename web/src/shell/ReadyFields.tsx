import { useQuery } from "@tanstack/react-query";
import { useCatalogue } from "../model/catalogue";
import { computed } from "../model/queries";
import { type FurnishWish, useApp } from "../model/store";
import { words } from "./words";

const say = words.readyFields;

export const readyWish: FurnishWish = { fill: true, list: "", stems: say.filmDetailed, seats: true, openingGib: 16 };

interface Props {
  wish: FurnishWish;
  change: (wish: FurnishWish) => void;
  fills?: boolean; // free rows can be filled
  asTheyAre?: string; // what the stems are when no starting point is chosen
}

/** ReadyFields asks how a template is made ready to play: who fills its rows, to which
 * stems, and what is called when it opens. */
export function ReadyFields({ wish, change, fills = true, asTheyAre = say.oneForEachSection }: Props) {
  const id = useApp((s) => s.sheet!.id);
  const cat = useCatalogue();
  const { data: starts } = useQuery(computed.starts(id));
  const owns = (cat?.libraries.length ?? 0) > 0;
  return (
    <div className="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-1.5">
      {fills && (
        <>
          <label className="flex min-h-7 items-center gap-2">
            <input
              type="checkbox"
              disabled={!owns}
              checked={owns && wish.fill}
              onChange={(e) => change({ ...wish, fill: e.target.checked })}
            />
            {say.fillTheRowsFrom}
          </label>
          {owns ? (
            <select
              className="field"
              aria-label={say.castingList}
              disabled={!wish.fill}
              value={wish.list}
              onChange={(e) => change({ ...wish, list: e.target.value })}
            >
              <option value="">{say.theStudiosLibraries}</option>
              {[...(cat?.castings ?? []), ...(cat?.shipped ?? [])].map((l) => (
                <option key={l.id} value={l.id}>
                  {l.name}
                </option>
              ))}
            </select>
          ) : (
            <span className="text-soft">{say.theStudioHasNoLibraries}</span>
          )}
        </>
      )}
      <label className="contents">
        <span>{say.stems}</span>
        <select
          className="field"
          aria-label={say.stemsToDeliver}
          value={wish.stems}
          onChange={(e) => change({ ...wish, stems: e.target.value })}
        >
          {starts?.map((s) => (
            <option key={s.name} value={s.name}>
              {s.name}: {s.about}
            </option>
          ))}
          <option value="">{asTheyAre}</option>
        </select>
      </label>
      <label className="contents">
        <span>{say.openingCallWithin}</span>
        <span className="flex items-center gap-2">
          <input
            type="number"
            className="field w-20"
            aria-label={say.openingCallGib}
            min={0}
            max={65536}
            step="any"
            value={wish.openingGib}
            onChange={(e) => change({ ...wish, openingGib: Number(e.target.value) })}
          />
          {say.gibWhatIsMostUseful}
        </span>
      </label>
    </div>
  );
}
