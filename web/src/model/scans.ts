import { queryOptions, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { answer, api, type Schemas } from "./api";
import { follow } from "./following";
import { attempt } from "./store";

export type Scan = Schemas["Scan"];

const all = queryOptions({ queryKey: ["scans"], queryFn: () => answer(api.GET("/api/scans")) });

/** useScans lists the last scans, newest first, and follows those that run. */
export function useScans(catalogue: string) {
  const client = useQueryClient();
  useEffect(() => {
    return follow(catalogue, -1, ({ name, data }) => {
      if (name !== "scan") return;
      const now = JSON.parse(data) as Scan;
      client.setQueryData(all.queryKey, (old) => {
        if (!old?.scans.some((s) => s.id === now.id)) {
          void client.invalidateQueries({ queryKey: all.queryKey });
          return old;
        }
        return { ...old, scans: old.scans.map((s) => (s.id === now.id ? now : s)) };
      });
      // A list that was asked for before the scan ended must not come in over its end.
      if (now.state !== "running") void client.invalidateQueries({ queryKey: all.queryKey });
    });
  }, [catalogue, client]);
  return useQuery(all).data;
}

export const folders = (folder: string) =>
  queryOptions({
    queryKey: ["folders", folder],
    queryFn: () => answer(api.GET("/api/scans/folders", { params: { query: { folder } } })),
    retry: false,
    enabled: folder !== "",
  });

export const startScan = (body: Schemas["ScanAsk"]) => attempt(() => answer(api.POST("/api/scans", { body })));

export const stopScan = (id: string) =>
  attempt(() => answer(api.DELETE("/api/scans/{scan}", { params: { path: { scan: id } } })));
