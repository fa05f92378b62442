import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { keepLevels } from "../../model/balance";
import { type Patch, swap, use } from "../../model/catalogue";
import { get, tell, useApp } from "../../model/store";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.useMenu;

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
    tell(gainedText(done.gained) || say.playsNow(patch.name));
    await keepLevels(ids());
  };
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="button button-main" disabled={chosen.length === 0}>
          {say.use(chosen.length || "")}
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="floating w-72 p-1" align="end" sideOffset={4}>
            <DropdownMenu.Item className="menu-item" onSelect={() => void use(chosen.map((p) => p.id))}>
              {say.newRowsInTheirUsualPlace} <span className="key">{say.enter}</span>
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" disabled={!one || rows === 0} onSelect={() => void ask(false)}>
              {say.swapInto(rows)}
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" disabled={!one || rows === 0} onSelect={() => void ask(true)}>
              {say.layerOnto(rows)}
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {asking && (
        <Floating
          title={say.swapThePatchFor(asking.patch.name)}
          open
          onOpenChange={() => setAsking(null)}
          className="w-[420px]"
        >
          <p className="mb-2">
            {say.lost} <b>{asking.lost.join(", ")}</b>
          </p>
          <p className="mb-3 text-soft">
            {say.nameRoutesLevelNotes(
              asking.gained.length ? say.gained(asking.gained.join(", ")) : say.nothingIsGained,
            )}
          </p>
          <div className="flex justify-end gap-2">
            <button type="button" className="button" onClick={() => setAsking(null)}>
              {say.cancel}
            </button>
            <button type="button" className="button button-main" onClick={() => void take(asking.patch, asking.layer)}>
              {say.swapIt}
            </button>
          </div>
        </Floating>
      )}
    </>
  );
}

const gainedText = (list: string[]) => (list.length ? say.gained(list.join(", ")) : "");
