import { useState } from "react";
import type { Schemas } from "../../model/api";
import { change } from "../../model/changing";
import { wire } from "../../model/delivering";
import { get, useApp } from "../../model/store";
import { bytes } from "../../model/template";
import { words } from "./words";

/** Cost tells what the delivery takes, and what each fold adds. */
export function Cost({ cost }: { cost: Schemas["DeliveryCost"] }) {
  const sheet = useApp((s) => s.sheet)!;
  const deliver = sheet.settings.deliver ?? {};
  const configure = (more: Partial<typeof deliver>) => {
    const { name, settings } = get().sheet!;
    void change({ kind: "configure", name, settings: { ...settings, deliver: { ...settings.deliver, ...more } } });
  };
  const fold = (id: string) => sheet.folds.byId.get(id)?.name ?? "";
  return (
    <div className="shrink-0 border-line border-t px-3 py-2" data-part="cost">
      <p>
        <strong className="font-serif">{words.cost.printFiles(cost.files)}</strong>
        <span className="text-soft">
          {" "}
          · {words.cost.buses(cost.buses)}: {words.cost.groups(cost.groups)}, {words.cost.returns(cost.returns)},{" "}
          {words.cost.stems(cost.stems)}, {words.cost.outputPairs(cost.pairs)} ·{" "}
        </span>
        {cost.minutes > 0 ? (
          <>
            {bytes(cost.bytes)}
            <span className="text-soft">
              {" "}
              {words.cost.forMin24Bit48(cost.minutes, cost.effects, Math.round(cost.addsPerSecond / 1e6))}
            </span>
          </>
        ) : (
          <span className="text-soft">{words.cost.sayHowLongTheMusic}</span>
        )}
      </p>
      <p className="text-soft">
        {cost.folds
          .filter((f) => f.stems > 0)
          .map((f) => {
            const parts = [
              words.cost.buses(f.stems),
              ...(f.returns > 0 ? [words.cost.returns(f.returns)] : []),
              ...(cost.minutes > 0 ? [bytes(f.bytes)] : []),
            ];
            return words.cost.withoutTheFoldLess(fold(f.fold), parts.join(", "));
          })
          .join(" ")}
      </p>
      <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
        <span className="flex items-center gap-1.5">
          {words.cost.lengthMinutes}
          <Figure value={cost.minutes} label={words.cost.lengthMinutes} keep={(minutes) => configure({ minutes })} />
        </span>
        <label className="flex items-center gap-1.5">
          {words.cost.Groups}
          <select
            className="field"
            value={deliver.groups ?? ""}
            onChange={(e) => {
              const { groups: _, ...rest } = deliver;
              const { name, settings } = get().sheet!;
              const groups = e.target.value as "fewest";
              const next = groups ? { ...rest, groups } : rest;
              void change({ kind: "configure", name, settings: { ...settings, deliver: next } });
            }}
          >
            <option value="">{words.cost.asTheyAre}</option>
            <option value="fewest">{words.cost.asFewAsTheStems}</option>
            <option value="sections">{words.cost.oneASectionWithin}</option>
            <option value="none">{words.cost.none}</option>
          </select>
        </label>
        <Numbering first={deliver.firstNumber ?? 1} gap={deliver.numberGap ?? 0} />
      </div>
    </div>
  );
}

function Numbering({ first, gap }: { first: number; gap: number }) {
  const [draft, setDraft] = useState<{ first: number; gap: number } | null>(null);
  const now = draft ?? { first, gap };
  return (
    <form
      className="flex items-center gap-1.5"
      onSubmit={(e) => {
        e.preventDefault();
        setDraft(null);
        void wire("numbers", now.first, now.gap);
      }}
    >
      {words.cost.numbersFrom}
      <input
        className="field w-14 text-right"
        aria-label={words.cost.firstNumber}
        inputMode="numeric"
        value={now.first}
        onChange={(e) => setDraft({ ...now, first: Number(e.target.value) || 0 })}
      />
      {words.cost.leaving}
      <input
        className="field w-12 text-right"
        aria-label={words.cost.numbersKeptFreeAfterEach}
        inputMode="numeric"
        value={now.gap}
        onChange={(e) => setDraft({ ...now, gap: Number(e.target.value) || 0 })}
      />
      {words.cost.free}
      <button type="submit" className="button">
        {words.cost.number}
      </button>
    </form>
  );
}

/** Figure edits a number: Enter keeps, Escape leaves. */
function Figure({ value, label, keep }: { value: number; label: string; keep: (n: number) => void }) {
  const [text, setText] = useState<string | null>(null);
  return (
    <input
      className="field w-16 text-right"
      aria-label={label}
      inputMode="decimal"
      value={text ?? value}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => {
        const n = Number((text ?? "").replace(",", "."));
        if (text !== null && text !== "" && Number.isFinite(n) && n !== value) keep(n);
        setText(null);
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          setText(null);
          e.stopPropagation();
        }
      }}
    />
  );
}
