import { DropdownMenu } from "radix-ui";
import { words } from "./words";

const say = words.several;

interface Props {
  label: string;
  list: readonly (readonly [key: string, name: string])[];
  chosen: readonly string[];
  set: (keys: string[]) => void;
}

/** Several chooses any number of things from a list; none means any. */
export function Several({ label, list, chosen, set }: Props) {
  const names = list.filter(([key]) => chosen.includes(key)).map(([, name]) => name);
  const text = names.length === 0 ? say.any : names.length > 2 ? say.of(names.length, list.length) : names.join(", ");
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="field flex min-w-0 items-center text-left"
        aria-label={`${label}: ${text}`}
        title={names.join(", ")}
        data-several={label}
      >
        <span className="min-w-0 flex-1 truncate">{text}</span> ▾
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className="floating max-h-[min(340px,var(--radix-dropdown-menu-content-available-height))] min-w-[var(--radix-dropdown-menu-trigger-width)] overflow-y-auto p-1"
          align="start"
          sideOffset={2}
        >
          <DropdownMenu.Item
            className="menu-item"
            disabled={names.length === 0}
            onSelect={(e) => {
              e.preventDefault();
              set([]);
            }}
          >
            {say.any}
          </DropdownMenu.Item>
          {list.map(([key, name]) => (
            <DropdownMenu.CheckboxItem
              key={key}
              className="menu-item justify-start! gap-1.5"
              checked={chosen.includes(key)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) => set(on ? [...chosen, key] : chosen.filter((x) => x !== key))}
            >
              <span className="grid w-4 shrink-0 place-items-center">
                <DropdownMenu.ItemIndicator>✓</DropdownMenu.ItemIndicator>
              </span>
              {name}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
