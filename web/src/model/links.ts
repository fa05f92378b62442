import { queryOptions } from "@tanstack/react-query";
import { answer, api, type Schemas } from "./api";
import { attempt, get } from "./store";

export type OpenLink = Schemas["OpenLink"];
export type Shared = "template" | "handbook";

/** links are those that are open to people outside. */
export const links = queryOptions({ queryKey: ["links"], queryFn: () => answer(api.GET("/api/links")), staleTime: 0 });

/** sharedLink is where the secret of a shared template leads. */
export const sharedLink = (secret: string) => `${location.origin}/shared/${secret}`;

/** share makes a link to the open template, or its handbook. */
export const share = (kind: Shared, to: string, days: number) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/links", { params: { path: { id: get().sheet!.id } }, body: { kind, to, days } }),
    ),
  );

export const endLink = ({ id, kind }: OpenLink) =>
  attempt(async () => {
    const params = { path: { id } };
    if (kind === "delivery") await answer(api.DELETE("/api/deliveries/{id}/link", { params }));
    else await answer(api.DELETE("/api/links/{id}", { params }));
    return true;
  });
