import { useState } from "react";
import { useCatalogue } from "../../model/catalogue";
import { change, seen } from "../../model/changing";
import { get, useApp } from "../../model/store";
import { Floating } from "../../shell/Floating";
import { MapEditor } from "../library/MapEditor";

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
  return (
    <Floating title={`Articulations of ${i.name}`} open onOpenChange={close} className="w-[760px]">
      <div className="min-h-0 overflow-y-auto">
        <p className="mb-2 flex items-center gap-2 text-soft">
          {own
            ? "It has a map of its own."
            : `It follows the map of its patch, ${patch.name}; what is kept here is its own.`}
          {own && (
            <button
              type="button"
              className="button"
              onClick={() => void change({ kind: "edit", edits: [{ id, map: [] }] })}
            >
              Follow the patch again
            </button>
          )}
        </p>
        <MapEditor
          key={own ? "own" : "patch"}
          cat={cat}
          patch={{ ...patch, name: i.name, map: own ? i.map! : (patch.map ?? []) }}
          seen={seen}
          set={(map, base) => change({ kind: "edit", edits: [{ id, map }] }, base)}
        />
      </div>
    </Floating>
  );
}
