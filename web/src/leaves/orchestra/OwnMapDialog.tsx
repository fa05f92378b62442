import { useState } from "react";
import { useCatalogue } from "../../model/catalogue";
import { change, seen } from "../../model/changing";
import { get, useApp } from "../../model/store";
import { Floating } from "../../shell/Floating";
import { MapEditor } from "../library/MapEditor";
import { LayersOf } from "./LayersOf";
import { words } from "./words";

const say = words.ownMapDialog;

/** OwnMapDialog gives one row an articulation map of its own, in place of its
 * patch's. */
export function OwnMapDialog({ close }: { close: () => void }) {
  const cat = useCatalogue();
  const [id] = useState(() => get().cursor ?? [...get().selection][0] ?? "");
  const sheet = useApp((s) => s.sheet)!;
  const i = sheet.instruments.byId.get(id);
  const patch = sheet.patches.byId.get(i?.patches[0] ?? "");
  if (!cat || !i || !patch) return null;
  const own = (i.map ?? []).length > 0;
  const patches = i.patches.flatMap((p) => sheet.patches.byId.get(p) ?? []);
  const layered = patches.length > 1;
  const all = {
    ...patch,
    keyLow: Math.min(...patches.map((p) => p.keyLow)),
    keyHigh: Math.max(...patches.map((p) => p.keyHigh)),
  };
  return (
    <Floating title={say.articulationsOf(i.name)} open onOpenChange={close} className="w-[760px]">
      <div className="min-h-0 overflow-y-auto">
        <p className="mb-2 flex items-center gap-2 text-soft">
          {own ? say.itHasAMap : layered ? say.itsPatchesHearTheSame : say.itFollowsTheMap(patch.name)}
          {own && (
            <button
              type="button"
              className="button"
              onClick={() => void change({ kind: "edit", edits: [{ id, map: [] }] })}
            >
              {layered ? say.followThePatchesAgain : say.followThePatchAgain}
            </button>
          )}
        </p>
        {layered && <LayersOf id={id} middleC={cat.middleC} own={own} />}
        {(own || !layered) && (
          <MapEditor
            key={own ? "own" : "patch"}
            cat={cat}
            patch={{ ...all, name: i.name, map: own ? i.map! : (patch.map ?? []) }}
            seen={seen}
            set={(map, base) => change({ kind: "edit", edits: [{ id, map }] }, base)}
          />
        )}
      </div>
    </Floating>
  );
}
