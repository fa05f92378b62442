import { ContextMenu } from "radix-ui";
import { type MouseEvent, type ReactNode, useState } from "react";
import { leaves } from "../leaves";
import type { Thing } from "../leaves/leaf";
import { Actions } from "../parts/Actions";

const things: Record<string, Thing> = Object.assign({}, ...leaves.map((l) => l.things));

/** thingAt is the thing that an element shows, and its ID. */
function thingAt(at: Element): [Thing, string] | null {
  const said = at.closest<HTMLElement | SVGElement>("[data-thing]")?.dataset.thing;
  const [kind = "", id = ""] = said?.split(" ") ?? [];
  const thing = things[kind];
  return thing ? [thing, id] : null;
}

const byMouse = 2; // its right button

/** RightClick opens the menu of the thing that is clicked, or that has the focus when the menu key is
 * pressed. Elsewhere the browser opens its own. */
export function RightClick({ children }: { children: ReactNode }) {
  const [thing, setThing] = useState<Thing | null>(null);
  const open = (e: MouseEvent) => {
    const at = e.target as Element;
    const focused = e.button === byMouse ? null : at.closest<HTMLElement>("[data-thing-at]")?.dataset.thingAt;
    const shown = focused ? document.getElementById(focused) : null;
    if (shown) {
      // the menu of the row under the focus opens there
      e.preventDefault();
      e.stopPropagation();
      const { left, bottom } = shown.getBoundingClientRect();
      const there = { bubbles: true, cancelable: true, button: byMouse, clientX: left + 80, clientY: bottom };
      shown.dispatchEvent(new window.MouseEvent("contextmenu", there));
      return;
    }
    const found = at.closest("input, textarea, select") ? null : thingAt(at);
    if (!found) return e.stopPropagation();
    found[0].choose(found[1]);
    setThing(found[0]);
  };
  return (
    <ContextMenu.Root>
      <ContextMenu.Trigger asChild>
        <div className="flex min-h-0 min-w-0 flex-1">
          {/* biome-ignore lint/a11y/noStaticElementInteractions: what is within has the keys */}
          <div className="flex min-h-0 min-w-0 flex-1" onContextMenu={open}>
            {children}
          </div>
        </div>
      </ContextMenu.Trigger>
      <ContextMenu.Portal>
        <ContextMenu.Content className="floating w-52 p-1">{thing && <Shown thing={thing} />}</ContextMenu.Content>
      </ContextMenu.Portal>
    </ContextMenu.Root>
  );
}

/** Shown makes the entries when the menu opens. */
function Shown({ thing }: { thing: Thing }) {
  return <Actions list={thing.actions()} within="context" />;
}
