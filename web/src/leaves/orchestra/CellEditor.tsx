import { type KeyboardEvent, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { seen } from "../../model/changing";
import { get } from "../../model/store";
import { type Field, having } from "./fields";
import { words } from "./words";

const say = words.cellEditor;

interface Props {
  field: Field;
  id: Id;
  shown: Field[];
  stop: (next?: { id: Id; field: string }) => void;
}

/** CellEditor edits one field in place, for the whole selection when the row
 * is part of one. Enter keeps, Escape leaves it as it was, Tab goes on. */
export function CellEditor({ field, id, shown, stop }: Props) {
  const sheet = get().sheet!;
  const i = sheet.instruments.byId.get(id)!;
  const first = (field.value ?? field.text)(sheet, i);
  const [text, setText] = useState(first);
  const [base] = useState(seen); // what others set from here on is a clash
  const done = useRef(false);

  const keep = (next?: { id: Id; field: string }) => {
    if (done.current) return;
    done.current = true;
    stop(next);
    if (text === first) return;
    const { selection } = get();
    const ids = !field.one && selection.has(id) ? sheet.instruments.order.filter((x) => selection.has(x)) : [id];
    void field.set?.(having(sheet, field, ids), text, base);
  };
  const leave = () => {
    done.current = true;
    stop();
  };
  const key = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (e.key === "Enter") keep();
    else if (e.key === "Escape") leave();
    else if (e.key === "Tab") {
      const can = shown.filter((f) => f.set);
      const next = can[(can.indexOf(field) + (e.shiftKey ? can.length - 1 : 1)) % can.length]!;
      keep({ id, field: next.key });
    } else return;
    e.preventDefault();
  };
  const choices = field.choices?.(sheet);
  return (
    <span role="gridcell" className="h-full pr-1">
      <input
        // biome-ignore lint/a11y/noAutofocus: editing was just asked for
        autoFocus
        aria-label={say.of(field.title, i.name)}
        value={text}
        list={choices ? `choices-${field.key}` : undefined}
        onChange={(e) => setText(e.target.value)}
        onFocus={(e) => e.target.select()}
        onBlur={() => keep()}
        onKeyDown={key}
        onClick={(e) => e.stopPropagation()}
        className="h-full w-full min-w-0 border border-accent bg-paper px-1"
      />
      {choices && (
        <datalist id={`choices-${field.key}`}>
          {choices.map((c) => (
            <option key={c} value={c} />
          ))}
        </datalist>
      )}
    </span>
  );
}
