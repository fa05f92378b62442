import { answer, api } from "./api";
import { begin } from "./opening";
import { attempt, type FurnishWish, get, set } from "./store";

const mibOfGib = 1024;

/** furnish makes the open template ready to play, brings its opening call in, and shows
 * what it came to. */
export async function furnish(wish: FurnishWish) {
  const id = get().sheet!.id;
  const done = await attempt(() =>
    answer(
      api.POST("/api/templates/{id}/furnish", {
        params: { path: { id } },
        body: {
          fill: wish.fill,
          seats: wish.seats,
          openingMib: wish.openingGib * mibOfGib,
          ...(wish.list ? { list: wish.list } : {}),
          ...(wish.stems ? { stems: wish.stems } : {}),
        },
      }),
    ),
  );
  if (!done) return false;
  set({ furnishing: null, furnished: done, dialog: "furnished" });
  await begin(id);
  return true;
}
