import { ContextMenu, DropdownMenu } from "radix-ui";

/** Doing is something that can be done, as a menu offers it. */
export interface Doing {
  text: string;
  hint?: string; // its key
  off?: boolean;
  run: () => void;
}

/** Deeper is an entry that opens more. */
export interface Deeper {
  text: string;
  more: readonly Doing[];
}

export type Action = Doing | Deeper;

/** doings are the doings of a menu, those one step deeper too, each as the finder names it. */
export const doings = (list: readonly Action[]): Doing[] =>
  list.flatMap((a) => ("more" in a ? a.more.map((d) => ({ ...d, text: `${a.text}: ${lower(d.text)}` })) : [a]));

const lower = (text: string) => text.charAt(0).toLowerCase() + text.slice(1);

/** Actions are the entries of a menu. */
export function Actions({ list, within }: { list: readonly Action[]; within: "context" | "dropdown" }) {
  const Menu = within === "context" ? ContextMenu : DropdownMenu;
  return list.map((a) =>
    "more" in a ? (
      <Menu.Sub key={a.text}>
        <Menu.SubTrigger className="menu-item" disabled={a.more.every((d) => d.off)}>
          {a.text} <span aria-hidden="true">▸</span>
        </Menu.SubTrigger>
        <Menu.Portal>
          <Menu.SubContent className="floating max-h-[var(--radix-menu-content-available-height)] w-64 overflow-y-auto p-1">
            {a.more.map((d) => (
              <Entry key={d.text} of={d} Item={Menu.Item} />
            ))}
          </Menu.SubContent>
        </Menu.Portal>
      </Menu.Sub>
    ) : (
      <Entry key={a.text} of={a} Item={Menu.Item} />
    ),
  );
}

function Entry({ of, Item }: { of: Doing; Item: typeof ContextMenu.Item | typeof DropdownMenu.Item }) {
  return (
    <Item className="menu-item" disabled={of.off} onSelect={of.run}>
      {of.text} {of.hint && <span className="key">{of.hint}</span>}
    </Item>
  );
}
