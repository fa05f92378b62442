import type { Catalogue, Patch } from "../../model/catalogue";
import { Keyboard } from "../../parts/Keyboard";
import { keysOf, writtenAll } from "./switches";
import { words } from "./words";

const say = words.compare;

/** Compare shows the articulation maps of two patches side by side. */
export function Compare({ cat, a, b }: { cat: Catalogue; a: Patch; b: Patch }) {
  const names = [...new Set([...(a.map ?? []), ...(b.map ?? [])].map((m) => m.articulation))];
  const how = (p: Patch, name: string) => {
    const m = p.map?.find((x) => x.articulation === name);
    return m ? writtenAll(m.switches, cat.middleC) || say.always : "—";
  };
  return (
    <div>
      {[a, b].map((p) => (
        <Keyboard
          key={p.id}
          low={p.keyLow}
          high={p.keyHigh}
          zone={p.switchZone}
          middleC={cat.middleC}
          flags={keysOf(p.map ?? [])}
        />
      ))}
      <table className="w-full text-left">
        <thead>
          <tr className="text-soft">
            <th className="font-normal">{say.articulation}</th>
            <th className="font-normal">{a.name}</th>
            <th className="font-normal">{b.name}</th>
          </tr>
        </thead>
        <tbody>
          {names.map((n) => (
            <tr key={n} className="odd:bg-band">
              <td className="py-0.5">{n}</td>
              <td className={how(a, n) === how(b, n) ? "text-soft" : "font-semibold"}>{how(a, n)}</td>
              <td className={how(a, n) === how(b, n) ? "text-soft" : "font-semibold"}>{how(b, n)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
