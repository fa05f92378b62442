import { queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Id } from "./api";
import type { Mapping } from "./catalogue";
import { save } from "./saving";
import { attempt, get } from "./store";
import { words } from "./words";

const path = () => ({ params: { path: { id: get().sheet!.id } } });

export const hand = {
  own: queryOptions({ queryKey: ["hand"], queryFn: () => answer(api.GET("/api/hand")) }),
  onRows: (ids: readonly Id[], key: unknown) =>
    queryOptions({
      queryKey: ["hand", "rows", ids, key],
      queryFn: () => answer(api.POST("/api/templates/{id}/hand", { ...path(), body: { ids: [...ids] } })),
      retry: false,
    }),
  translation: (file: File | null, key: unknown) =>
    queryOptions({
      queryKey: ["hand", "file", file?.name, file?.size, file?.lastModified, key],
      queryFn: () => answer(api.POST("/api/templates/{id}/hand/translate", { ...path(), ...fileBody(file!) })),
      enabled: file !== null,
      retry: false,
    }),
};

export const setHand = (map: Mapping[]) => attempt(() => answer(api.PUT("/api/hand", { body: { map } })));

/** takeOutTranslated saves what a file comes to on its rows, as MIDI. */
export async function takeOutTranslated(file: File) {
  const data = await attempt(() =>
    answer(api.POST("/api/templates/{id}/hand/translate/midi", { ...path(), ...fileBody(file), parseAs: "blob" })),
  );
  if (data) save(words.hand.translatedMid(file.name.replace(/\.[^.]*$/, "")), data as unknown as Blob);
}
