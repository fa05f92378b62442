import { useEffect, useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { type Answers, copiedRows, paste } from "../../model/delivering";
import { tell, useApp } from "../../model/store";
import { plural, things } from "../../model/template";
import { Floating } from "../../shell/Floating";

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
    tell(`Pasted ${plural(copied.ids.length, "row")} with their routes.`);
    close();
  };
  useEffect(() => {
    if (copied) void ask({});
  }, []);
  if (!copied) {
    return (
      <Floating title="Paste" open onOpenChange={close} className="w-96">
        <p className="text-soft">Nothing is copied yet. Select rows, in this template or another, and press Ctrl C.</p>
      </Floating>
    );
  }
  if (!questions) return null;
  const set = (bus: Id, value: string) =>
    setAnswers({ ...answers, [bus]: value === "make" ? { make: true } : value ? { bus: value } : {} });
  return (
    <Floating
      title={`Paste ${plural(copied.ids.length, "row")} from ${copied.name}`}
      open
      onOpenChange={close}
      className="w-[560px]"
    >
      <p className="mb-2 text-soft">This template has no buses with these labels. What should replace them?</p>
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
              {q.name}{" "}
              <span className="text-soft">
                {q.kind}, fed by {plural(q.instruments, "row")}
              </span>
            </span>
            <select
              className="field"
              aria-label={`Instead of ${q.name}`}
              defaultValue="make"
              onChange={(e) => set(q.bus, e.target.value)}
            >
              <option value="make">make one like it</option>
              <option value="">leave its routes out</option>
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
            Paste
          </button>
        </div>
      </form>
    </Floating>
  );
}
