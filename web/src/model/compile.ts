import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Id } from "./api";
import { save } from "./saving";
import { attempt, get } from "./store";

const ask = (instrument: Id, file: File, part: number, bar: number) => ({
  params: { path: { id: get().sheet!.id, instrument }, query: { part, bar } },
  ...fileBody(file),
});

export const compiled = (instrument: Id, file: File | null, part: number, bar: number, revision: number) =>
  queryOptions({
    queryKey: ["compiled", instrument, file?.name, file?.size, file?.lastModified, part, bar, revision],
    queryFn: () => answer(api.POST("/api/templates/{id}/compile/{instrument}", ask(instrument, file!, part, bar))),
    enabled: file !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** takeOutCompiled saves the messages as a MIDI file. */
export async function takeOutCompiled(instrument: Id, name: string, file: File, part: number, bar: number) {
  const data = await attempt(() =>
    answer(
      api.POST("/api/templates/{id}/compile/{instrument}/midi", {
        ...ask(instrument, file, part, bar),
        parseAs: "blob",
      }),
    ),
  );
  if (data) save(`${name}.mid`, data as unknown as Blob);
}
