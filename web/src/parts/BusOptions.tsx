import type { Id } from "../model/api";
import { busKinds, busKindsThat } from "../model/buskinds";
import { useApp } from "../model/store";
import { things } from "../model/template";

const shown = busKindsThat((is) => !is.beyond).reverse(); // stems first

/** BusOptions are the buses at which something may be heard, in a select: all but the mix. */
export function BusOptions({ value }: { value: (id: Id) => string }) {
  const buses = useApp((s) => s.sheet!.buses);
  return shown.map((kind) => {
    const some = things(buses).filter((b) => b.kind === kind);
    return (
      some.length > 0 && (
        <optgroup key={kind} label={busKinds[kind].many}>
          {some.map((b) => (
            <option key={b.id} value={value(b.id)}>
              {b.name}
            </option>
          ))}
        </optgroup>
      )
    );
  });
}
