import type { Schemas } from "../model/api";
import { words } from "./words";

const say = words.decimalChoice;

export type Decimal = "" | "point" | "comma";

interface Props {
  unsure: Schemas["Doubt"];
  decimal: Decimal;
  choose: (d: Decimal) => void;
}

const figure = (x: number) => x.toLocaleString("en", { maximumFractionDigits: 6, useGrouping: false });

/** DecimalChoice asks how the sizes of a list are meant where nothing in it tells. */
export function DecimalChoice({ unsure, decimal, choose }: Props) {
  return (
    <fieldset className="mb-3 flex flex-wrap items-center gap-x-5 gap-y-1" data-part="decimal">
      <legend className="sr-only">{say.howSizesAreWritten}</legend>
      <span>
        {say.is} <strong>{unsure.cell}</strong> {say.inThisList}
      </span>
      {(["point", "comma"] as const).map((d) => (
        <label key={d} className="flex h-7 items-center gap-1.5">
          <input type="radio" name="decimal" checked={decimal === d} onChange={() => choose(d)} />
          {figure(unsure[d])} MiB
        </label>
      ))}
      {decimal === "" && <span className="text-accent">{say.nothingIsTakenUntil}</span>}
    </fieldset>
  );
}
