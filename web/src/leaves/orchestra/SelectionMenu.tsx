import { DropdownMenu } from "radix-ui";
import { call } from "../../model/changing";
import { get, useApp } from "../../model/store";
import { Actions } from "../../parts/Actions";
import { rowActions } from "./rowActions";
import { words } from "./words";

const say = words.selectionMenu;

/** SelectionMenu is what can be done to the selection at once. */
export function SelectionMenu() {
  const n = useApp((s) => s.selection.size);
  const playing = useApp((s) => {
    let of = 0;
    for (const id of s.selection) if (s.sheet?.instruments.byId.get(id)?.kind !== "divider") of++;
    return of;
  });
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="button">{n > 0 ? say.selected(n) : say.rows} ▾</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="floating w-52 p-1" align="end" sideOffset={4}>
            <Shown />
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <button
        type="button"
        className="button button-main"
        disabled={playing === 0}
        onClick={() => void call([...get().selection], "call")}
      >
        {say.call(playing || "")}
      </button>
    </>
  );
}

/** Shown makes the entries when the menu opens, and when something else is selected. */
function Shown() {
  useApp((s) => s.selection);
  return <Actions list={rowActions()} within="dropdown" />;
}
