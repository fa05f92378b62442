import { ChevronRight } from "lucide-react";
import { type DragEvent, type KeyboardEvent, memo } from "react";
import type { Id } from "../../model/api";
import { busKind } from "../../model/buskinds";
import { tintVar } from "../../model/template";
import { isBus, type Place } from "./picture";
import { words } from "./words";

const say = words.placeMark;

const carried = "application/x-fanfold-place";

/** PlaceActs is what can be done at a place, given by its position. */
export interface PlaceActs {
  hover: (n: number) => void; // -1 for none
  choose: (n: number) => void;
  toggle: (id: Id) => void;
  wire: (n: number) => void; // -1 lets the wire go
  drop: (from: Id, n: number) => void;
}

interface Props {
  place: Place;
  number: number; // its position
  x: number;
  narrow: boolean; // groups stand as bare bars
  room: number; // to the next column
  chosen: boolean;
  wiring: boolean;
  acts: PlaceActs;
}

/** PlaceMark is one place of the routing: a click chooses it, its chevron
 * unfolds what is gathered there, dragging it onto another connects them. */
export const PlaceMark = memo(function PlaceMark(props: Props) {
  const { place: p, number, x, room, chosen, wiring, acts } = props;
  const left = p.column === 0;
  const turned = busKind(p.kind)?.beyond;
  const opens = (p.holds ?? 0) > 0;
  const narrow = props.narrow && p.column === 1;
  const label = `${p.name}, ${say.instruments(p.count)}`;
  const key = (e: KeyboardEvent) => {
    if (e.key === "ArrowRight" && opens) acts.toggle(p.id);
    else if (e.key === "ArrowLeft" && p.in) acts.toggle(p.in);
    else if (e.key === "w" || e.key === "W") acts.wire(wiring ? -1 : number);
    else if (e.key === "Escape" && wiring) acts.wire(-1);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const takes = {
    onDragOver: (e: DragEvent) => e.dataTransfer.types.includes(carried) && e.preventDefault(),
    onDrop: (e: DragEvent) => {
      e.preventDefault();
      acts.drop(e.dataTransfer.getData(carried), number);
    },
  };
  return (
    <div
      className="absolute flex items-center"
      data-place={number}
      data-thing={thingOf(p)}
      style={{
        top: p.y,
        height: p.h,
        ...(left
          ? { left: 0, width: x + 3, justifyContent: "flex-end" }
          : { left: x, maxWidth: Math.max(30, room - 8) }),
      }}
      onPointerEnter={() => acts.hover(number)}
      onPointerLeave={() => acts.hover(-1)}
    >
      {left && opens && (
        <button
          type="button"
          tabIndex={-1}
          aria-label={say.unfold(p.name)}
          className="grid h-[14px] w-5 shrink-0 place-items-center text-soft hover:text-ink"
          onClick={() => acts.toggle(p.id)}
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
        aria-label={wiring ? say.chooseWhereItsWireGoes(label) : label}
        title={`${label}${p.number ? say.bus(p.number) : ""}`}
        onClick={() => acts.choose(number)}
        onKeyDown={key}
        onDragStart={(e) => e.dataTransfer.setData(carried, p.id)}
        {...takes}
        className={`flex h-full min-w-0 items-center text-[12.5px] ${chosen || wiring ? "font-semibold" : ""}`}
      >
        {left && <span className="truncate pr-1.5 text-right">{p.name}</span>}
        <span
          data-bar=""
          className={`h-full shrink-0 ${left ? "w-[3px]" : "w-[4px]"} ${wiring ? "outline-2 outline-accent" : ""}`}
          style={{ background: chosen || wiring ? "var(--accent)" : left ? tintVar(p.tint) : "var(--ink)" }}
        />
        {!left && !narrow && (
          <span
            className={turned ? "max-h-full truncate pl-1 font-semibold [writing-mode:vertical-rl]" : "tag truncate"}
          >
            {p.name}
          </span>
        )}
      </button>
      {!left && opens && (
        <button
          type="button"
          tabIndex={-1}
          aria-label={say.unfold(p.name)}
          className="grid h-[14px] w-5 shrink-0 place-items-center text-soft hover:text-ink"
          onClick={() => acts.toggle(p.id)}
        >
          <ChevronRight size={11} />
        </button>
      )}
    </div>
  );
});

/** thingOf is what a right click at a place is about; nothing, for what is gathered. */
function thingOf(p: Place): string | undefined {
  if (p.kind === "section") return `section ${p.id}`;
  if (p.kind === "instrument") return `row ${p.id}`;
  return isBus(p) ? `bus ${p.id}` : undefined;
}
