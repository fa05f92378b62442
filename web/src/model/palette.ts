import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Id, type Schemas } from "./api";
import { at, change } from "./changing";
import { attempt, get } from "./store";

export type Palette = Schemas["Palette"];

/** The lightness that the style sheet's tints stand at on Day. */
const dayLightness = 0.74;

/** show colours the tints by a palette; nothing gives them back to the style
 * sheet. */
export function show(palette: Palette | undefined) {
  const { style } = document.documentElement;
  for (const name of [...style].filter((x) => x.startsWith("--tint-"))) style.removeProperty(name);
  for (const x of palette?.tints ?? []) style.setProperty(`--tint-${x.tint}`, css(palette!, x));
}

/** css is a tint's colour; the theme gives the lightness to begin with. */
export function css(p: Palette, x: Palette["tints"][number]): string {
  const off = x.lightness + (p.lightness ?? 0) - dayLightness;
  return `oklch(calc(var(--tint-l) + ${off.toFixed(4)}) ${(x.chroma * p.strength).toFixed(4)} ${x.hue})`;
}

export const palettes = () => queryOptions({ queryKey: ["palettes"], queryFn: () => answer(api.GET("/api/palettes")) });

export const setPalettes = (own: Palette[]) => attempt(() => answer(api.PUT("/api/palettes", { body: { own } })));

/** checked tells what is wrong with a palette here. */
export const checked = (palette: Palette, revision: number) =>
  queryOptions({
    queryKey: ["palette", at().params.path.id, revision, palette],
    queryFn: () => answer(api.POST("/api/templates/{id}/palette/check", { ...at(), body: palette })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const readPalette = (file: File) => attempt(() => answer(api.POST("/api/palettes/read", fileBody(file))));

/** another is a tint more, of a hue as far as may be from those there are. */
export function another(p: Palette): Palette["tints"][number] {
  const hues = p.tints.map((x) => x.hue).sort((a, b) => a - b);
  const gaps = hues.map((hue, n) => ({ from: hue, wide: (hues[n + 1] ?? hues[0]! + 360) - hue }));
  const { from, wide } = gaps.reduce((a, b) => (b.wide > a.wide ? b : a));
  let n = 1;
  while (p.tints.some((x) => x.tint === `own-${n}`)) n++;
  return { tint: `own-${n}`, lightness: dayLightness, chroma: 0.07, hue: Math.round(from + wide / 2) % 360 };
}

/** carrying is a palette with the colours of another that are in use and that it
 * lacks. */
export function carrying(p: Palette, old: Palette | undefined, used: ReadonlySet<string>): Palette {
  const lacking = (old?.tints ?? []).filter((x) => used.has(x.tint) && !p.tints.some((y) => y.tint === x.tint));
  return lacking.length > 0 ? { ...p, tints: [...p.tints, ...lacking] } : p;
}

/** tintSections gives sections a tint; none lets them take their parents'. */
export function tintSections(sections: Id[], tint: string, base?: number) {
  const values = sections.map((id) => {
    const { tint: _, ...section } = get().sheet!.sections.byId.get(id)!;
    return tint ? { ...section, tint } : section;
  });
  return change({ kind: "put", sections: values.map((value) => ({ at: -1, value })) }, base);
}

export function takePalette(palette: Palette, base: number) {
  const { name, settings } = get().sheet!;
  return change({ kind: "configure", name, settings: { ...settings, palette } }, base);
}
