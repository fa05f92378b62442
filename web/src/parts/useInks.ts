import { useEffect, useState } from "react";
import { get } from "../model/store";
import { tintNames, tintsOf } from "../model/template";

export type Inks = Record<string, string>;

/** useInks resolves the colours of the theme for drawing on a canvas: every
 * tint by its name, and ink, soft, paper and accent. */
export function useInks(): Inks {
  const [inks, setInks] = useState(resolve);
  useEffect(() => {
    const watch = new MutationObserver(() => setInks(resolve()));
    watch.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme", "style"] });
    return () => watch.disconnect();
  }, []);
  return inks;
}

function resolve(): Inks {
  const probe = document.createElement("span");
  document.body.append(probe);
  const out: Inks = {};
  const read = (name: string, token: string) => {
    probe.style.color = `var(--${token})`;
    out[name] = getComputedStyle(probe).color;
  };
  const { sheet } = get();
  for (const name of sheet ? tintsOf(sheet) : tintNames) read(name, `tint-${name}`);
  for (const name of ["ink", "soft", "paper", "accent"]) read(name, name);
  probe.remove();
  return out;
}
