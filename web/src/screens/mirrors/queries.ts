import { queryOptions, useInfiniteQuery, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { answer, client, type Schemas } from "../../api/client";

export type Mirror = Schemas["MirrorOut"];
export type SetUp = Schemas["SetUpOut"];
export type Row = Schemas["RowOut"];
export type RowItem = Schemas["RowItemOut"];
export type OpenField = Schemas["OpenFieldOut"];
export type FieldPair = Schemas["MatchedOut"];
export type MatchedField = Schemas["MatchedFieldOut"];
export type Crossing = Schemas["CrossingOut"];
export type Parity = Schemas["ParityOut"];
export type Would = Schemas["WouldOut"];
export type Side = "left" | "right";

export const SIDES: readonly Side[] = ["left", "right"];
export const PAGE = 100;

/** Which rows are shown: those in some states, or those of a kind of plan on a side. */
export interface Chosen {
  states: string[];
  plan?: string;
  side?: Side;
}

const at = (mirror_id: number) => ({ params: { path: { mirror_id } } });

export const useMirrors = () =>
  useQuery({ queryKey: ["mirrors"], queryFn: () => answer(client.GET("/api/v1/mirrors")), refetchInterval: 15_000 });

export const useMirror = (id: number) =>
  useQuery({
    queryKey: ["mirror", id, "summary"],
    queryFn: () => answer(client.GET("/api/v1/mirrors/{mirror_id}", at(id))),
    refetchInterval: (query) => (query.state.data?.stage ? 700 : 5_000),
  });

export const useSetUp = (id: number) =>
  useQuery({
    queryKey: ["mirror-set-up", id],
    queryFn: () => answer(client.GET("/api/v1/mirrors/{mirror_id}/set-up", at(id))),
    retry: false,
  });

const rowsKey = (id: number, chosen: Chosen) => ["mirror-rows", id, chosen];

const rowsPage = (id: number, chosen: Chosen, page: number) =>
  queryOptions({
    queryKey: [...rowsKey(id, chosen), page],
    queryFn: ({ signal }) =>
      answer(
        client.GET("/api/v1/mirrors/{mirror_id}/rows", {
          signal,
          params: {
            path: { mirror_id: id },
            query: { state: chosen.states, plan: chosen.plan, side: chosen.side, skip: page * PAGE, limit: PAGE },
          },
        }),
      ),
    staleTime: Infinity,
  });

/** A row that is looked into, wherever it is by now. */
export const useRow = (id: number, row: string | undefined) =>
  useQuery({
    queryKey: ["mirror-rows", id, "one", row],
    queryFn: () =>
      answer(client.GET("/api/v1/mirrors/{mirror_id}/rows/{row_id}", { params: { path: { mirror_id: id, row_id: row ?? "" } } })),
    enabled: row !== undefined,
    retry: false,
  });

/** The first rows of a mirror. */
export const useFirstRows = (id: number, chosen: Chosen) => useQuery(rowsPage(id, chosen, 0));

/** The pages of rows from one to another, by their numbers: a mirror may have 50,000 pairs, and only those in sight are read. */
export function usePages(id: number, chosen: Chosen, first: number, last: number): ReadonlyMap<number, Row[]> {
  const wanted = Array.from({ length: last - first + 1 }, (_, n) => first + n);
  return useQueries({
    queries: wanted.map((page) => rowsPage(id, chosen, page)),
    combine: (found) => new Map(found.flatMap((one, n) => (one.data ? [[first + n, one.data] as const] : []))),
  });
}

/** Read the pages in sight again whenever something crossed; the others once they are seen again. */
export function useFresh(id: number, stamp: number): void {
  const queries = useQueryClient();
  const seen = useRef(stamp);
  useEffect(() => {
    if (seen.current === stamp) return;
    seen.current = stamp;
    void queries.invalidateQueries({ queryKey: ["mirror-rows", id] });
  }, [queries, id, stamp]);
}

export const useHistory = (id: number, pair: string | null) =>
  useInfiniteQuery({
    queryKey: ["mirror", id, "history", pair],
    queryFn: ({ pageParam }) =>
      answer(
        client.GET("/api/v1/mirrors/{mirror_id}/history", {
          params: { path: { mirror_id: id }, query: { pair: pair ?? undefined, before: pageParam } },
        }),
      ),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });

export const useVolume = (id: number) =>
  useQuery({ queryKey: ["mirror", id, "volume"], queryFn: () => answer(client.GET("/api/v1/mirrors/{mirror_id}/volume", at(id))) });

export const useParity = (id: number) =>
  useQuery({ queryKey: ["mirror", id, "parity"], queryFn: () => answer(client.GET("/api/v1/mirrors/{mirror_id}/parity", at(id))) });

export const useRehearsal = (id: number) =>
  useQuery({
    queryKey: ["mirror", id, "rehearsal"],
    queryFn: () => answer(client.GET("/api/v1/mirrors/{mirror_id}/rehearsal", at(id))),
  });

export const useFound = (id: number, text: string) =>
  useQuery({
    queryKey: ["mirror", id, "find", text],
    queryFn: () => answer(client.GET("/api/v1/mirrors/{mirror_id}/find", { params: { path: { mirror_id: id }, query: { text } } })),
    enabled: text.trim().length > 1,
  });
