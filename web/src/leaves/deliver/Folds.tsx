import { useQuery } from "@tanstack/react-query";
import { ChevronRight, Plus, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { type DragEvent, type KeyboardEvent, useMemo, useRef, useState } from "react";
import type { Bus, Id, Schemas } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { addFold, nest, removeFold } from "../../model/delivering";
import { computed } from "../../model/queries";
import { set, useApp } from "../../model/store";
import { type Sheet, things, tintOf, tintVar } from "../../model/template";
import { useSize } from "../../parts/useSize";
import { type Cell, parentOf, tree } from "./tree";
import { words } from "./words";

const say = words.folds;

/** The height of a stem, px: as much as there is, within reason. */
const leastHigh = 26;
const mostHigh = 40;
const headHigh = 48; // above the stems, with the room below them

const carried = "application/x-fanfold-stems";

/** Folds draws all folds together: every stem as high as the finer stems that
 * belong to it, from the finest on the left to the mix on the right. */
export function Folds() {
  const sheet = useApp((s) => s.sheet)!;
  const chosen = useApp((s) => s.bus);
  const [folded, setFolded] = useState<ReadonlySet<Id>>(new Set());
  const { cells, rows } = useMemo(() => tree(sheet, folded), [sheet, folded]);
  const { data } = useQuery(computed.routing(sheet.id, sheet.revision, "", [], 600, null));
  const folds = things(sheet.folds);
  const frame = useRef<HTMLDivElement>(null);
  const size = useSize(frame);
  const each = Math.floor(((size?.height ?? 0) - headHigh) / Math.max(1, rows)) - 1;
  const high = Math.max(leastHigh, Math.min(mostHigh, each));
  const toggle = (id: Id) => {
    const next = new Set(folded);
    if (!next.delete(id)) next.add(id);
    setFolded(next);
  };
  const mix = things(sheet.buses).find((b) => busKinds[b.kind].only);
  const columns = `minmax(190px,1.6fr) repeat(${Math.max(0, folds.length - 1)}, minmax(120px,1fr)) 74px`;
  return (
    <div
      ref={frame}
      className="min-h-0 min-w-0 flex-1 overflow-auto px-3 pb-3"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
      tabIndex={0}
      role="region"
      aria-label={say.folds}
    >
      <div className="sticky top-0 z-10 grid gap-x-px bg-paper pt-2 pb-1" style={{ gridTemplateColumns: columns }}>
        {folds.map((f, n) => (
          <FoldHead
            key={f.id}
            fold={f}
            place={n}
            sum={data?.sums.find((s) => s.fold === f.id)}
            last={folds.length === 1}
          />
        ))}
        <div className="flex items-center px-2">
          <button
            type="button"
            className="link text-soft"
            title={say.aFoldCoarserThanAll}
            onClick={() => void addFold(say.whole, folds.length)}
          >
            {say.fold}
          </button>
        </div>
      </div>
      <div
        className="grid gap-px"
        role="group"
        aria-label={say.stemsByFold}
        style={{ gridTemplateColumns: columns, gridTemplateRows: `repeat(${Math.max(1, rows)}, ${high}px)` }}
      >
        {cells.map((c) => (
          <Stem
            key={c.stem.id}
            cell={c}
            folded={folded.has(c.stem.id)}
            chosen={chosen === c.stem.id}
            toggle={() => toggle(c.stem.id)}
          />
        ))}
        {mix && (
          <button
            type="button"
            className="grid place-items-center border-ink border-l-[3px] bg-band font-semibold font-serif data-[chosen=true]:border-accent"
            style={{ gridColumn: folds.length + 1, gridRow: `1 / span ${Math.max(1, rows)}` }}
            data-chosen={chosen === mix.id}
            data-thing={`bus ${mix.id}`}
            onClick={() => set({ bus: chosen === mix.id ? null : mix.id })}
            {...dropInto(undefined, sheet)}
          >
            {mix.name}
          </button>
        )}
      </div>
    </div>
  );
}

interface HeadProps {
  fold: Schemas["Fold"];
  place: number;
  sum: Schemas["FoldSum"] | undefined;
  last: boolean;
}

function FoldHead({ fold, place, sum, last }: HeadProps) {
  const state = !sum ? "" : sum.addsUp ? say.addUp : say.doNotAddUp;
  return (
    <div className="flex items-baseline gap-2 px-2" data-fold={fold.name}>
      <h3 className="text-[14px]">{fold.name}</h3>
      <span className={`truncate ${sum && !sum.addsUp ? "text-accent" : "text-soft"}`}>
        {sum?.stems ?? 0} {state}
        {sum && sum.without.length > 0 ? say.notAllWet : ""}
      </span>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="link ml-auto text-soft" aria-label={say.theFold(fold.name)}>
          ▾
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content className="floating w-60 p-1" align="end">
            <DropdownMenu.Item className="menu-item" onSelect={() => void addFold(say.split(fold.name), place)}>
              {say.addAFinerFoldBefore} <Plus size={13} />
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" disabled={last} onSelect={() => void removeFold(fold.id)}>
              {say.removeThisFold} <X size={13} />
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  );
}

interface StemProps {
  cell: Cell;
  folded: boolean;
  chosen: boolean;
  toggle: () => void;
}

function Stem({ cell: { stem, column, row, span, inside, count }, folded, chosen, toggle }: StemProps) {
  const sheet = useApp((s) => s.sheet)!;
  const tint = tintVar(tintOf(sheet, stem.section));
  const returns = sheet.returnSets.find((r) => r.id === stem.returns);
  const key = (e: KeyboardEvent) => {
    if (e.key === "[" || e.key === "]") {
      e.preventDefault();
      e.stopPropagation();
      if (inside > 0 && (e.key === "[") !== folded) toggle();
    }
  };
  return (
    <div
      className={`flex min-w-0 border-l-[3px] ${chosen ? "outline-2 outline-accent -outline-offset-2" : ""}`}
      style={{
        gridColumn: column + 1,
        gridRow: `${row + 1} / span ${span}`,
        borderColor: tint,
        background: `color-mix(in oklab, ${tint} ${column === 0 ? 14 : 22}%, var(--paper))`,
      }}
      data-stem={stem.name}
      data-thing={`bus ${stem.id}`}
      data-folded={folded}
      {...dropInto(stem, sheet)}
    >
      {inside > 0 && (
        <button
          type="button"
          className="grid w-6 shrink-0 place-items-center text-soft"
          aria-expanded={!folded}
          aria-label={`${folded ? say.unfold : say.Fold} ${stem.name}`}
          onClick={toggle}
        >
          <ChevronRight size={14} className={folded ? "" : "rotate-90"} />
        </button>
      )}
      <button
        type="button"
        draggable
        aria-pressed={chosen}
        onKeyDown={key}
        onDragStart={(e) => e.dataTransfer.setData(carried, stem.id)}
        onClick={() => set({ bus: chosen ? null : stem.id })}
        title={say.instrumentsDragItOnto(stem.name, count)}
        className="flex min-w-0 flex-1 items-center gap-2 px-2 text-left"
      >
        {stem.number && <span className="w-6 shrink-0 text-right text-[11px] text-soft">{stem.number}</span>}
        <span className={`truncate ${column > 0 ? "font-semibold font-serif" : ""}`}>{stem.name}</span>
        <span className="ml-auto flex shrink-0 gap-2 text-[12px] text-soft">
          {stem.carries && <em>{stem.carries}</em>}
          {stem.mono && <em>{say.mono}</em>}
          {column === 0 && returns && <span>{returns.name}</span>}
          <span className="w-6 text-right">{count}</span>
        </span>
      </button>
    </div>
  );
}

/** dropInto takes a dragged stem into another, or, without one, into the mix. */
function dropInto(into: Bus | undefined, sheet: Sheet) {
  const fits = (e: DragEvent) => e.dataTransfer.types.includes(carried);
  return {
    onDragOver: (e: DragEvent) => {
      if (fits(e)) e.preventDefault();
    },
    onDrop: (e: DragEvent) => {
      const id = e.dataTransfer.getData(carried);
      const stem = sheet.buses.byId.get(id);
      if (!stem || stem.id === into?.id) return;
      e.preventDefault();
      // dropped on a stem of its own fold, it joins the one that stem belongs to
      const parent = into && into.fold === stem.fold ? parentOf(sheet, into) : into;
      void nest([id], parent?.id);
    },
  };
}
