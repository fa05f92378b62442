import { X } from "lucide-react";
import { useState } from "react";
import type { Id } from "../../model/api";
import type { Wish } from "../../model/seating";
import { useApp } from "../../model/store";
import { things } from "../../model/template";
import { Small } from "../../parts/Small";
import { words } from "./words";

const say = words.wishes;

/** Wishes lists what a plan does where it can: sections kept together or apart. */
export function Wishes({ wishes, keep }: { wishes: Wish[]; keep: (w: Wish[]) => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const sections = things(sheet.sections);
  const [first, setFirst] = useState<Id>(sections[0]?.id ?? "");
  const [other, setOther] = useState<Id>("");
  const [place, setPlace] = useState<Wish["place"]>("riser");
  const name = (id: Id) => sheet.sections.byId.get(id)?.name ?? say.aSectionThatIsGone;
  const options = sections.map((s) => (
    <option key={s.id} value={s.id}>
      {s.parent ? `${name(s.parent)} / ${s.name}` : s.name}
    </option>
  ));
  if (sections.length === 0) return null;
  return (
    <section aria-label={say.wishes}>
      {wishes.map((w, n) => (
        <div key={`${w.kind} ${w.place} ${w.sections.join()}`} className="flex items-center gap-2" data-part="wish">
          <span>
            {w.kind === "together"
              ? say.onOne(w.sections.map(name).join(say.and), w.place)
              : say.onDifferentS(w.sections.map(name).join(say.and), w.place)}
          </span>
          <Small label={say.removeThisWish} run={() => keep(wishes.filter((_, k) => k !== n))}>
            <X size={14} />
          </Small>
        </div>
      ))}
      <div className="flex flex-wrap items-center gap-1.5">
        {say.keep}
        <select
          className="field w-44"
          aria-label={say.section}
          value={first}
          onChange={(e) => setFirst(e.target.value)}
        >
          {options}
        </select>
        <select
          className="field w-48"
          aria-label={say.togetherOrApartFrom}
          value={other}
          onChange={(e) => setOther(e.target.value)}
        >
          <option value="">{say.together}</option>
          <optgroup label={say.apartFrom}>{options}</optgroup>
        </select>
        {say.by}
        <select
          className="field"
          aria-label={say.place}
          value={place}
          onChange={(e) => setPlace(e.target.value as Wish["place"])}
        >
          <option value="riser">{say.riser}</option>
          <option value="machine">{say.machine}</option>
        </select>
        <button
          type="button"
          className="button"
          disabled={other === first}
          onClick={() => {
            const wish: Wish = other
              ? { kind: "apart", place, sections: [first, other] }
              : { kind: "together", place, sections: [first] };
            keep([...wishes, wish]);
          }}
        >
          {say.wish}
        </button>
      </div>
    </section>
  );
}
