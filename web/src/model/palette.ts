import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Schemas } from "./api";
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

export function takePalette(palette: Palette, base: number) {
  const { name, settings } = get().sheet!;
  return change({ kind: "configure", name, settings: { ...settings, palette } }, base);
}
