import { useEffect, useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { type Answers, copiedRows, paste } from "../../model/delivering";
import { tell, useApp } from "../../model/store";
import { things } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.pasteDialog;

type Question = Schemas["Pasted"]["questions"][number];

/** PasteDialog brings copied rows here. Buses are found by their labels; what
 * is not found is asked about. */
export function PasteDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [copied] = useState(copiedRows);
  const [answers, setAnswers] = useState<Answers>({});
  const [questions, setQuestions] = useState<Question[] | null>(null);
  const ask = async (given: Answers) => {
    if (!copied) return;
    const done = await paste(copied, given);
    if (!done) return close();
    if (done.questions.length > 0) return setQuestions(done.questions);
    tell(say.pastedRowsWithTheirRoutes(copied.ids.length));
    close();
  };
  useEffect(() => {
    if (copied) void ask({});
  }, []);
  if (!copied) {
    return (
      <Floating title={say.paste} open onOpenChange={close} className="w-96">
        <p className="text-soft">{say.nothingIsCopiedYetSelect}</p>
      </Floating>
    );
  }
  if (!questions) return null;
  const set = (bus: Id, value: string) =>
    setAnswers({ ...answers, [bus]: value === "make" ? { make: true } : value ? { bus: value } : {} });
  return (
    <Floating title={say.pasteRowsFrom(copied.ids.length, copied.name)} open onOpenChange={close} className="w-[560px]">
      <p className="mb-2 text-soft">{say.thisTemplateHasNoBuses}</p>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          const all = { ...Object.fromEntries(questions.map((q) => [q.bus, { make: true }])), ...answers };
          setAnswers(all); // what is answered stays answered when more is asked
          setQuestions(null);
          void ask(all);
        }}
      >
        {questions.map((q) => (
          <label key={q.bus} className="grid grid-cols-[1fr_240px] items-center gap-2 py-1" data-question={q.name}>
            <span className="truncate">
              {q.name} <span className="text-soft">{say.fedByRows(q.kind, q.instruments)}</span>
            </span>
            <select
              className="field"
              aria-label={say.insteadOf(q.name)}
              defaultValue="make"
              onChange={(e) => set(q.bus, e.target.value)}
            >
              <option value="make">{say.makeOneLikeIt}</option>
              <option value="">{say.leaveItsRoutesOut}</option>
              {things(sheet.buses)
                .filter((b) => b.kind === q.kind || busKinds[b.kind].stem || busKinds[b.kind].sums)
                .map((b) => (
                  <option key={b.id} value={b.id}>
                    {b.name} ({b.kind})
                  </option>
                ))}
            </select>
          </label>
        ))}
        <div className="mt-3 flex justify-end">
          <button type="submit" className="button button-main">
            {say.paste}
          </button>
        </div>
      </form>
    </Floating>
  );
}
