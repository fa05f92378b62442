import { type FormEvent, useState } from "react";
import { seen } from "../../model/changing";
import { get } from "../../model/store";
import { tintVar } from "../../model/template";
import { CancelOrSave } from "../../shell/CancelOrSave";
import { Floating } from "../../shell/Floating";
import { type Field, fieldNamed, fieldWord, having } from "./fields";
import { words } from "./words";

const say = words.promptDialog;

const hints: Record<string, string> = {
  machine: say.leaveItEmptyToLet,
  stem: say.aNewNameMakes,
  library: say.aNewNameMakesTheLibrary,
  section: say.aPathSuchAsWinds,
  sectionColour: say.theColourOfTheSections,
  kind: say.anyKindButSampled,
};

const none: Record<string, string> = { colour: say.theSections, sectionColour: say.thatOfTheSectionAbove };

interface ClosedProps {
  field: Field;
  choices: string[];
  text: string;
  set: (value: string) => void;
  mixed: boolean; // the rows differ, and nothing is chosen yet
}

/** Closed offers what can be chosen, colours as they look. */
function Closed({ field, choices, text, set, mixed }: ClosedProps) {
  const labels = new Map(get().sheet!.settings.palette?.tints.map((x) => [x.tint, x.label]));
  return (
    <div role="radiogroup" aria-label={field.title} className="grid grid-cols-2 gap-x-3 gap-y-1">
      {choices.map((c) => (
        <label key={c} className="flex min-h-7 items-center gap-2">
          <input type="radio" name="choice" checked={!mixed && c === text} onChange={() => set(c)} />
          {field.tints && c !== "" && (
            <span aria-hidden="true" className="size-3.5 shrink-0 rounded-[3px]" style={{ background: tintVar(c) }} />
          )}
          <span className="truncate">{c === "" ? none[field.key] : labels.get(c) || c}</span>
        </label>
      ))}
    </div>
  );
}

/** PromptDialog sets one field of the whole selection. */
export function PromptDialog({ close }: { close: () => void }) {
  const { sheet, selection, asking } = get();
  const field = fieldNamed(asking);
  const [base] = useState(seen);
  const ids = having(
    sheet!,
    field,
    sheet!.instruments.order.filter((id) => selection.has(id)),
  );
  const values = new Set(ids.map((id) => (field.value ?? field.text)(sheet!, sheet!.instruments.byId.get(id)!)));
  const [text, setAny] = useState(values.size === 1 ? [...values][0]! : "");
  const [chosen, setChosen] = useState(false);
  const setText = (value: string) => {
    setAny(value);
    setChosen(true);
  };
  const choices = field.choices?.(sheet!) ?? [];
  const keep = (e: FormEvent) => {
    e.preventDefault();
    close();
    if (field.closed && values.size > 1 && !chosen) return; // nothing was chosen
    void field.set?.(ids, text, base);
  };
  return (
    <Floating title={say.setOfRows(fieldWord(field), ids.length)} open onOpenChange={close} className="w-96">
      <form onSubmit={keep}>
        {field.closed ? (
          <Closed field={field} choices={choices} text={text} set={setText} mixed={values.size > 1 && !chosen} />
        ) : (
          <>
            <input
              className="field w-full"
              aria-label={field.title}
              value={text}
              list="prompt-choices"
              placeholder={values.size > 1 ? say.differentValues(values.size) : ""}
              onChange={(e) => setText(e.target.value)}
            />
            <datalist id="prompt-choices">
              {choices.map((c) => (
                <option key={c} value={c} />
              ))}
            </datalist>
          </>
        )}
        <p className="mt-2 text-soft">{hints[field.key] ?? ""}</p>
        <CancelOrSave leave={close} />
      </form>
    </Floating>
  );
}
