import { useState } from "react";
import type { Schemas } from "../../model/api";
import { change } from "../../model/changing";
import { wire } from "../../model/delivering";
import { get, useApp } from "../../model/store";
import { bytes, plural } from "../../model/template";

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
        <strong className="font-serif">{plural(cost.files, "print file")}</strong>
        <span className="text-soft">
          {" "}
          · {plural(cost.buses, "bus", "buses")}: {plural(cost.groups, "group")}, {plural(cost.returns, "return")},{" "}
          {plural(cost.stems, "stem")}, {plural(cost.pairs, "output pair")} ·{" "}
        </span>
        {cost.minutes > 0 ? (
          <>
            {bytes(cost.bytes)}
            <span className="text-soft">
              {" "}
              for {cost.minutes} min, 24 bit, 48 kHz · {plural(cost.effects, "effect")} running,{" "}
              {Math.round(cost.addsPerSecond / 1e6)} million sums a second
            </span>
          </>
        ) : (
          <span className="text-soft">say how long the music is</span>
        )}
      </p>
      <p className="text-soft">
        {cost.folds
          .filter((f) => f.stems > 0)
          .map((f) => {
            const parts = [
              plural(f.stems, "bus", "buses"),
              ...(f.returns > 0 ? [plural(f.returns, "return")] : []),
              ...(cost.minutes > 0 ? [bytes(f.bytes)] : []),
            ];
            return `Without the ${fold(f.fold)} fold: ${parts.join(", ")} less.`;
          })
          .join(" ")}
      </p>
      <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
        <span className="flex items-center gap-1.5">
          Length, minutes
          <Figure value={cost.minutes} label="Length, minutes" keep={(minutes) => configure({ minutes })} />
        </span>
        <label className="flex items-center gap-1.5">
          Groups
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
            <option value="">as they are</option>
            <option value="fewest">as few as the stems need</option>
            <option value="sections">one a section within a stem</option>
            <option value="none">none</option>
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
      Numbers from
      <input
        className="field w-14 text-right"
        aria-label="First number"
        inputMode="numeric"
        value={now.first}
        onChange={(e) => setDraft({ ...now, first: Number(e.target.value) || 0 })}
      />
      leaving
      <input
        className="field w-12 text-right"
        aria-label="Numbers kept free after each section"
        inputMode="numeric"
        value={now.gap}
        onChange={(e) => setDraft({ ...now, gap: Number(e.target.value) || 0 })}
      />
      free
      <button type="submit" className="button">
        Number
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
