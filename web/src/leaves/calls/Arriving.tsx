import { call } from "../../model/changing";
import { useApp } from "../../model/store";
import { wait } from "../../model/template";
import { RestGlyph } from "../../parts/RestGlyph";
import { words } from "./words";

const say = words.arriving;

/** Arriving lists what is loading or has failed. */
export function Arriving() {
  const sheet = useApp((s) => s.sheet)!;
  const states = useApp((s) => s.states);
  const rig = useApp((s) => s.rig);
  const list = [...states.values()].filter((s) => s.state !== "ready" && s.state !== "printed");
  const left = Math.max(0, ...[...rig.values()].map((m) => m.leftMs));
  if (list.length === 0) return null;
  return (
    <section className="border-line border-t px-3 py-2" data-part="arriving">
      <h3 className="mb-1 flex items-baseline gap-2 text-[15px]">
        {say.arriving}
        <span className="font-normal font-sans text-[13px] text-soft">
          {say.toCome(list.length)}
          {left > 0 && say.left(wait(left / 1000))}
        </span>
        <button
          type="button"
          className="button ml-auto font-normal font-sans text-[13px]"
          onClick={() =>
            void call(
              list.map((s) => s.id),
              "rest",
            )
          }
        >
          {say.stop}
        </button>
      </h3>
      {list.slice(0, 100).map((s) => {
        const i = sheet.instruments.byId.get(s.id);
        const machine = i?.seat ? sheet.machines.byId.get(i.seat.machine)?.name : "";
        return (
          <div key={s.id} className="flex h-[26px] items-center gap-2">
            <RestGlyph state={s.state} progress={s.progress} reason={s.reason} />
            <span className="min-w-0 flex-1 truncate">{i?.name}</span>
            <span className="min-w-0 truncate text-soft" title={s.reason}>
              {s.reason || say.riser(machine ?? "", i?.seat?.riser ?? 0)}
            </span>
            {s.state === "failed" || s.stalled ? (
              <button type="button" className="button h-6" onClick={() => void call([s.id], "call")}>
                {say.again}
              </button>
            ) : (
              <span className="w-10 text-right">{Math.round(s.progress * 100)}%</span>
            )}
            <button
              type="button"
              className="button h-6"
              aria-label={say.stopLoading(i?.name ?? "")}
              onClick={() => void call([s.id], "rest")}
            >
              {say.rest}
            </button>
          </div>
        );
      })}
    </section>
  );
}
