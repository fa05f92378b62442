import type { ReactNode } from "react";

interface Step {
  text: string;
  run: () => void;
  off?: boolean;
}

interface Props {
  says: string; // what belongs here
  children: ReactNode; // how it comes here
  steps: readonly Step[]; // the first of them first
}

/** Empty is what a leaf shows before there is anything in it: what belongs there, and the first step. */
export function Empty({ says, children, steps }: Props) {
  return (
    <div className="grid flex-1 place-items-center p-8 text-center" data-part="empty">
      <div className="max-w-[27rem]">
        <p className="mb-3 font-serif text-[16px]">{says}</p>
        <p className="mb-4 text-soft">{children}</p>
        <div className="flex flex-wrap justify-center gap-1.5">
          {steps.map((s, n) => (
            <button
              key={s.text}
              type="button"
              className={n === 0 ? "button button-main" : "button"}
              disabled={s.off}
              onClick={s.run}
            >
              {s.text}
            </button>
          ))}
        </div>
      </div>
    </div>
  );
}
