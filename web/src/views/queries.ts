import {
  hashKey,
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQueries,
  useQuery,
  useQueryClient,
  type QueryClient,
  type QueryKey,
} from "@tanstack/react-query";
import { useRef } from "react";
import { answer, client, type Schemas } from "../api/client";

export type View = Schemas["ViewBody"];
export type KeptView = Schemas["ViewOut"];
export type FieldChoices = Schemas["FieldChoices"];
export type Figures = Schemas["FiguresOut"];
export type Shown = Schemas["ShownRecord"];
export type Places = Schemas["PlacesOut"];
export type Filter = Schemas["FilterBody"];

/** What of a view decides which records it shows, and where they stand. */
export const askedOf = (view: View): View => ({ ...view, kind: "table", columns: [], frozen: 1, totals: [], marks: [] });
/** Whether a view shows all records, the newest first: what is added comes on top, and nothing else changes what is shown. */
export const isPlain = (view: View) => !view.filter?.tests?.length && !view.order?.length && !view.group;

const at = (database: number) => ({ params: { path: { database_id: database } } });

export const useViews = (database: number) =>
  useQuery({
    queryKey: ["views", database],
    queryFn: () => answer(client.GET("/api/v1/databases/{database_id}/views", at(database))),
    retry: false,
  });

/** Where records stand in a view, read page by page. */
export const usePlacesOf = (database: number, view: View, saved: number | null, enabled = true) =>
  useInfiniteQuery({
    enabled,
    queryKey: ["view-places", database, askedOf(view), saved],
    queryFn: ({ pageParam }) =>
      answer(
        client.POST("/api/v1/databases/{database_id}/places", { ...at(database), body: { view: askedOf(view), saved, after: pageParam } }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** How many records a view shows, with its totals, and the same of each group. */
export const useFigures = (database: number, view: View, isAsked: boolean) => {
  const body = { ...askedOf(view), totals: view.totals };
  return useQuery({
    queryKey: ["view-figures", database, body],
    queryFn: () => answer(client.POST("/api/v1/databases/{database_id}/figures", { ...at(database), body: { view: body } })),
    enabled: isAsked || !isPlain(view) || view.totals.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });
};

export const PAGE = 100; // records that are read at once
const NONE: Shown[] = [];

/** Read some records as a view with these marks shows them. */
export const readShown = (database: number, marks: View["marks"], records: number[]) =>
  answer(client.POST("/api/v1/databases/{database_id}/shown", { ...at(database), body: { records, marks } }));

/** The rows of a database that are read and kept as they are now, but for those of one query. */
function known(queries: QueryClient, database: number, marks: View["marks"], but: QueryKey): Map<number, Shown> {
  const others = queries.getQueryCache().findAll({ queryKey: ["view-rows", database, marks] });
  const fresh = others.filter((q) => !q.state.isInvalidated && q.queryHash !== hashKey(but));
  return new Map(fresh.flatMap((q) => ((q.state.data as Shown[] | undefined) ?? NONE).map((one) => [one.record.id, one])));
}

/** The records at these places of a list, by their numbers. Those that have been read already are not read again where others
    enter or leave the list; until all are, they stand in. */
export function useShown(
  database: number,
  marks: View["marks"],
  ids: number[],
  first: number,
  last: number,
): (id: number) => Shown | undefined {
  const queries = useQueryClient();
  const seen = useRef(new Map<number, Shown>());
  const from = Math.floor(first / PAGE);
  const pages = Array.from({ length: Math.floor(last / PAGE) - from + 1 }, (_, n) => ids.slice((from + n) * PAGE, (from + n + 1) * PAGE));
  const read = useQueries({
    queries: pages.map((page) => ({
      queryKey: ["view-rows", database, marks, page],
      queryFn: async ({ queryKey }: { queryKey: QueryKey }) => {
        const have = known(queries, database, marks, queryKey);
        const missing = page.filter((id) => !have.has(id));
        const found = missing.length ? await readShown(database, marks, missing) : NONE;
        for (const one of found) have.set(one.record.id, one);
        return page.flatMap((id) => have.get(id) ?? []);
      },
    })),
    combine: (found) => found.map((one) => one.data),
  });
  for (const page of read) for (const one of page ?? NONE) seen.current.set(one.record.id, one);
  return (id) => seen.current.get(id);
}

interface Named {
  name: string;
  view: View;
}

/** Keeping, editing and deleting views. */
export function useKeeping(database: number) {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ["views", database] });
  const where = (view: number) => ({ path: { database_id: database, view_id: view } });
  const create = useMutation({
    mutationFn: (body: Named) => answer(client.POST("/api/v1/databases/{database_id}/views", { ...at(database), body })),
    onSuccess,
  });
  const save = useMutation({
    mutationFn: ({ kept, ...body }: Named & { kept: KeptView }) =>
      answer(
        client.PUT("/api/v1/databases/{database_id}/views/{view_id}", {
          params: { ...where(kept.id), header: { "if-match": String(kept.version) } },
          body,
        }),
      ),
    onSuccess,
  });
  const remove = useMutation({
    mutationFn: (view: number) => answer(client.DELETE("/api/v1/databases/{database_id}/views/{view_id}", { params: where(view) })),
    onSuccess,
  });
  const order = useMutation({
    mutationFn: (views: number[]) => answer(client.PUT("/api/v1/databases/{database_id}/views", { ...at(database), body: { views } })),
    onSuccess,
  });
  return { create, save, remove, order };
}
