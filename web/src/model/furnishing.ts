import { answer, api, type Id, type Schemas } from "./api";
import { begin } from "./opening";
import { attempt, get, set } from "./store";

export type Furnished = Schemas["Furnished"];

/** FurnishWish says how a template is made ready to play. */
export interface FurnishWish {
  fill: boolean; // free rows are filled from the studio's libraries
  list: Id; // by this casting list; empty for the studio's default
  stems: string; // a starting point of stems; empty keeps those there are
  seats: boolean;
  openingGib: number; // 0 makes no opening call
}

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
