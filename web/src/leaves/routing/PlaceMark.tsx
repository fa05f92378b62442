import { ChevronRight } from "lucide-react";
import type { DragEvent, KeyboardEvent } from "react";
import type { Id } from "../../model/api";
import { plural, tintVar } from "../../model/template";
import type { Place } from "./picture";

const carried = "application/x-fanfold-place";

interface Props {
  place: Place;
  x: number;
  width: number;
  room: number; // to the next column
  chosen: boolean;
  dim: boolean;
  wiring: boolean;
  hover: (on: boolean) => void;
  choose: () => void;
  toggle: (id: Id) => void;
  wire: (on: boolean) => void;
  drop: (from: Id) => void;
}

/** PlaceMark is one place of the routing: a click chooses it, its chevron
 * unfolds what is gathered there, dragging it onto another connects them. */
export function PlaceMark(props: Props) {
  const { place: p, x, width, room, chosen, dim, wiring, hover, choose, toggle, wire, drop } = props;
  const left = p.column === 0;
  const turned = p.kind === "mix" || p.kind === "speakers" || p.kind === "print";
  const opens = (p.holds ?? 0) > 0;
  const narrow = width <= 640 && p.column === 1;
  const label = `${p.name}, ${plural(p.count, "instrument")}`;
  const key = (e: KeyboardEvent) => {
    if (e.key === "ArrowRight" && opens) toggle(p.id);
    else if (e.key === "ArrowLeft" && p.in) toggle(p.in);
    else if (e.key === "w" || e.key === "W") wire(!wiring);
    else if (e.key === "Escape" && wiring) wire(false);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const takes = {
    onDragOver: (e: DragEvent) => e.dataTransfer.types.includes(carried) && e.preventDefault(),
    onDrop: (e: DragEvent) => {
      e.preventDefault();
      drop(e.dataTransfer.getData(carried));
    },
  };
  return (
    <div
      className="absolute flex items-center"
      style={{
        top: p.y,
        height: p.h,
        ...(left
          ? { left: 0, width: x + 3, justifyContent: "flex-end" }
          : { left: x, maxWidth: Math.max(30, room - 8) }),
        opacity: dim ? 0.35 : 1,
      }}
      onPointerEnter={() => hover(true)}
      onPointerLeave={() => hover(false)}
    >
      {left && opens && (
        <button
          type="button"
          tabIndex={-1}
          aria-label={`Unfold ${p.name}`}
          className="grid h-[14px] w-5 shrink-0 place-items-center text-soft hover:text-ink"
          onClick={() => toggle(p.id)}
        >
          <ChevronRight size={11} />
        </button>
      )}
      <button
        type="button"
        draggable
        data-node={p.name}
        data-kind={p.kind}
        aria-pressed={chosen}
        aria-label={wiring ? `${label}; choose where its wire goes` : label}
        title={`${label}${p.number ? `, bus ${p.number}` : ""}`}
        onClick={choose}
        onKeyDown={key}
        onDragStart={(e) => e.dataTransfer.setData(carried, p.id)}
        {...takes}
        className={`flex h-full min-w-0 items-center text-[12.5px] ${chosen || wiring ? "font-semibold" : ""}`}
      >
        {left && <span className="truncate pr-1.5 text-right">{p.name}</span>}
        <span
          className={`h-full shrink-0 ${left ? "w-[3px]" : "w-[4px]"} ${wiring ? "outline-2 outline-accent" : ""}`}
          style={{ background: chosen || wiring ? "var(--accent)" : left ? tintVar(p.tint) : "var(--ink)" }}
        />
        {!left && !narrow && (
          <span className={turned ? "pl-1 font-semibold [writing-mode:vertical-rl]" : "truncate pl-1.5"}>{p.name}</span>
        )}
      </button>
      {!left && opens && (
        <button
          type="button"
          tabIndex={-1}
          aria-label={`Unfold ${p.name}`}
          className="grid h-[14px] w-5 shrink-0 place-items-center text-soft hover:text-ink"
          onClick={() => toggle(p.id)}
        >
          <ChevronRight size={11} />
        </button>
      )}
    </div>
  );
}
