import type { Schemas } from "../../model/api";
import { set } from "../../model/store";
import { db } from "../../model/template";

/** Sums says whether the stems of each fold add up to the mix. */
export function Sums({ sums }: { sums: Schemas["FoldSum"][] }) {
  return (
    <div className="shrink-0 border-line border-t px-3 py-2" data-part="sums">
      {sums
        .filter((s) => s.stems > 0)
        .map((s) => (
          <p key={s.fold}>
            {s.addsUp ? (
              <>
                <strong className="font-serif">{s.stems} stems add up to the mix</strong>
                <span className="text-soft">
                  {" "}
                  · {s.name} fold, {s.sources} sources, dry and wet
                </span>
              </>
            ) : (
              <>
                <strong className="text-accent">The {s.name} fold does not add up:</strong> {s.worst} differs by{" "}
                {db(s.largestDb)} of full scale.{" "}
                <button type="button" className="link" onClick={() => set({ dialog: "marks" })}>
                  Mend it
                </button>
              </>
            )}
          </p>
        ))}
    </div>
  );
}
