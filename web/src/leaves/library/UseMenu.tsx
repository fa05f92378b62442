import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { keepLevels } from "../../model/balance";
import { type Patch, swap, use } from "../../model/catalogue";
import { get, tell, useApp } from "../../model/store";
import { Floating } from "../../shell/Floating";

/** UseMenu puts the chosen patches to use in the template. */
export function UseMenu({ chosen }: { chosen: Patch[] }) {
  const rows = useApp((s) => s.selection.size);
  const [asking, setAsking] = useState<{ patch: Patch; layer: boolean; lost: string[]; gained: string[] } | null>(null);
  const ids = () => get().sheet!.instruments.order.filter((id) => get().selection.has(id));
  const one = chosen.length === 1 ? chosen[0]! : null;
  const ask = async (layer: boolean) => {
    if (!one) return;
    const would = await swap(ids(), one.id, layer, false);
    if (!would) return;
    if (would.lost.length > 0) setAsking({ patch: one, layer, ...would });
    else await take(one, layer);
  };
  const take = async (patch: Patch, layer: boolean) => {
    const done = await swap(ids(), patch.id, layer, true);
    setAsking(null);
    if (!done) return;
    tell(gainedText(done.gained) || `${patch.name} plays now.`);
    await keepLevels(ids());
  };
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="button button-main" disabled={chosen.length === 0}>
          Use {chosen.length || ""} ▾
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="floating w-72 p-1" align="end" sideOffset={4}>
            <DropdownMenu.Item className="menu-item" onSelect={() => void use(chosen.map((p) => p.id))}>
              New rows where they usually stand <span className="key">Enter</span>
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" disabled={!one || rows === 0} onSelect={() => void ask(false)}>
              Swap into {rows || "the"} selected row{rows === 1 ? "" : "s"}
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" disabled={!one || rows === 0} onSelect={() => void ask(true)}>
              Layer onto {rows || "the"} selected row{rows === 1 ? "" : "s"}
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {asking && (
        <Floating
          title={`Swap the patch for ${asking.patch.name}`}
          open
          onOpenChange={() => setAsking(null)}
          className="w-[420px]"
        >
          <p className="mb-2">
            Lost: <b>{asking.lost.join(", ")}</b>
          </p>
          <p className="mb-3 text-soft">
            {asking.gained.length ? `Gained: ${asking.gained.join(", ")}.` : "Nothing is gained."} Name, routes, level,
            notes and seat stay.
          </p>
          <div className="flex justify-end gap-2">
            <button type="button" className="button" onClick={() => setAsking(null)}>
              Cancel
            </button>
            <button type="button" className="button button-main" onClick={() => void take(asking.patch, asking.layer)}>
              Swap it
            </button>
          </div>
        </Floating>
      )}
    </>
  );
}

const gainedText = (list: string[]) => (list.length ? `Gained: ${list.join(", ")}.` : "");
