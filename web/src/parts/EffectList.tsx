import { useQuery } from "@tanstack/react-query";
import { ChevronDown, ChevronRight, X } from "lucide-react";
import { useState } from "react";
import {
  type Effect,
  type EffectKind,
  effectKinds,
  keepImpulse,
  type Parameter,
  said,
  standsAt,
  withValue,
} from "../model/effects";
import { words } from "./words";

const say = words.effectList;

/** EffectList edits what runs on a bus, in order. Changes are kept one by one. */
export function EffectList({
  runs,
  keep,
  onMix = false,
  label,
}: {
  runs: readonly Effect[];
  keep: (runs: Effect[]) => void;
  onMix?: boolean;
  label: string;
}) {
  const { data: kinds } = useQuery(effectKinds);
  const [open, setOpen] = useState<number | null>(null);
  const one = (n: number, e: Effect) => keep(runs.map((x, k) => (k === n ? e : x)));
  return (
    <div data-part="effects">
      <ul aria-label={label}>
        {runs.map((e, n) => {
          const kind = kinds?.find((k) => k.kind === e.kind);
          const words = said(e, kind);
          return (
            <li key={n} data-effect={e.kind}>
              <div className="flex h-7 items-center gap-1">
                <button
                  type="button"
                  className={`flex min-w-0 flex-1 items-center gap-1 truncate text-left ${e.off ? "text-soft line-through" : ""}`}
                  aria-expanded={open === n}
                  onClick={() => setOpen(open === n ? null : n)}
                >
                  {open === n ? (
                    <ChevronDown size={13} aria-hidden="true" />
                  ) : (
                    <ChevronRight size={13} aria-hidden="true" />
                  )}
                  {words}
                </button>
                {n > 0 && (
                  <button
                    type="button"
                    className="button h-6"
                    aria-label={say.moveEarlier(words)}
                    title={say.earlier}
                    onClick={() => {
                      const next = [...runs];
                      [next[n - 1], next[n]] = [next[n]!, next[n - 1]!];
                      keep(next);
                    }}
                  >
                    ↑
                  </button>
                )}
                <button
                  type="button"
                  className="button h-6 w-10 justify-center"
                  aria-pressed={!e.off}
                  aria-label={`${words}: ${e.off ? say.off : say.on}`}
                  onClick={() => {
                    const { off, ...rest } = e;
                    one(n, off ? rest : { ...rest, off: true });
                  }}
                >
                  {e.off ? say.off : say.on}
                </button>
                <button
                  type="button"
                  aria-label={say.remove(words)}
                  className="grid size-6 place-items-center rounded-[3px] hover:bg-band"
                  onClick={() => keep(runs.filter((_, k) => k !== n))}
                >
                  <X size={13} aria-hidden="true" />
                </button>
              </div>
              {open === n && kind && <Parameters effect={e} kind={kind} keep={(x) => one(n, x)} />}
            </li>
          );
        })}
      </ul>
      <select
        className="field mt-1 w-full"
        aria-label={say.addTo(label)}
        value=""
        onChange={(x) => {
          if (!x.target.value) return;
          const added = { kind: x.target.value as Effect["kind"] };
          const last = runs.at(-1);
          const limits = last && kinds?.find((k) => k.kind === last.kind)?.onMix; // it stays the last
          keep(limits ? [...runs.slice(0, -1), added, last] : [...runs, added]);
        }}
      >
        <option value="">{say.addAnEffect}</option>
        {kinds
          ?.filter((k) => !k.onMix || (onMix && !runs.some((e) => e.kind === k.kind)))
          .map((k) => (
            <option key={k.kind} value={k.kind}>
              {k.words}
            </option>
          ))}
      </select>
    </div>
  );
}

function Parameters({ effect, kind, keep }: { effect: Effect; kind: EffectKind; keep: (e: Effect) => void }) {
  return (
    <div className="mb-2 ml-4 grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-2 gap-y-1">
      {kind.audio && (
        <>
          <span className="truncate text-soft" title={effect.file}>
            {effect.file ?? say.noRecordingYet}
          </span>
          <label className="button h-6">
            {say.choose}
            <input
              type="file"
              className="sr-only"
              accept=".wav,.flac"
              aria-label={say.recordingOfARoom}
              onChange={async (x) => {
                const file = x.target.files?.[0];
                const kept = file && (await keepImpulse(file));
                if (kept) keep({ ...effect, audio: kept.audio, file: file.name });
              }}
            />
          </label>
        </>
      )}
      {kind.parameters.map((p) => (
        // biome-ignore lint/a11y/noLabelWithoutControl: the control is a child
        <label key={p.name} className="contents">
          <span className="truncate text-soft">{p.words}</span>
          <Value of={p} value={standsAt(effect, p)} keep={(v) => keep(withValue(effect, p, v))} />
        </label>
      ))}
    </div>
  );
}

const lengths = [
  [0, say.byItsTime],
  [0.25, say.sixteenth],
  [1 / 3, say.tripletEighth],
  [0.5, say.eighth],
  [0.75, say.dottedEighth],
  [1, say.quarter],
  [1.5, say.dottedQuarter],
  [2, say.half],
  [4, say.whole],
] as const;

function Value({ of: p, value, keep }: { of: Parameter; value: number; keep: (v: number) => void }) {
  const [text, setText] = useState<string | null>(null);
  if (p.choice) {
    const choices = p.name === "quarters" ? lengths : ([[0, "no"] as const, [1, "yes"] as const] as const);
    return (
      <select className="field h-6 w-32" value={value} onChange={(e) => keep(Number(e.target.value))}>
        {!choices.some(([v]) => v === value) && <option value={value}>{value}</option>}
        {choices.map(([v, words]) => (
          <option key={v} value={v}>
            {words}
          </option>
        ))}
      </select>
    );
  }
  return (
    <span className="flex items-center gap-1">
      <input
        className="field h-6 w-20 text-right"
        aria-label={`${p.words}, ${p.unit}`}
        title={say.to(p.low, p.high, p.unit)}
        value={text ?? String(value)}
        onFocus={() => setText(String(value))}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => {
          const x = Number((text ?? "").replace("−", "-").replace(",", "."));
          if (text?.trim() && Number.isFinite(x) && x !== value) keep(x);
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
      <span className="w-9 text-soft">{p.unit}</span>
    </span>
  );
}
