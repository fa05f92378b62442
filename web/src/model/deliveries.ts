import { queryOptions } from "@tanstack/react-query";
import { answer, api, type Schemas } from "./api";
import { words } from "./words";

export type Delivery = Schemas["Delivery"];

export const deliveriesOf = (id: string) =>
  queryOptions({
    queryKey: ["prints", id, "deliveries"],
    queryFn: () => answer(api.GET("/api/templates/{id}/deliveries", { params: { path: { id } } })),
  });

/** linkOf is where the secret of a link leads. */
export const linkOf = (secret: string) => `${location.origin}/delivery/${secret}`;

/** staleOf says what has changed since a delivery; empty for nothing. */
export function staleOf(d: Delivery) {
  const newer = d.prints.filter((p) => p.newer > 0);
  if (newer.length === 0) return "";
  if (d.prints.length === 1) return words.deliveries.versionWasPrintedSince(newer[0]!.newer);
  return words.deliveries.ofItsCuesWerePrinted(newer.length);
}

/** day writes a date as people say it. */
export const day = (at: string | Date) =>
  new Date(at).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" });
