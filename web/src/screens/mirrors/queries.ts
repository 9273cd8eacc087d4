import { useInfiniteQuery, useQuery, useQueryClient, type InfiniteData } from "@tanstack/react-query";
import { useEffect } from "react";
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
type Rows = Schemas["RowsOut"];

export const SIDES: readonly Side[] = ["left", "right"];
export const PAGE = 200;

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

const readPage = (id: number, chosen: Chosen, after: number): Promise<Rows> =>
  answer(
    client.GET("/api/v1/mirrors/{mirror_id}/rows", {
      params: { path: { mirror_id: id }, query: { state: chosen.states, plan: chosen.plan, side: chosen.side, after, limit: PAGE } },
    }),
  );

const rowsKey = (id: number, chosen: Chosen) => ["mirror-rows", id, chosen];

/** The rows of a mirror, page by page. */
export const useRows = (id: number, chosen: Chosen) =>
  useInfiniteQuery({
    queryKey: rowsKey(id, chosen),
    queryFn: ({ pageParam }) => readPage(id, chosen, pageParam),
    initialPageParam: 0,
    getNextPageParam: (last: Rows) => last.next ?? undefined,
    staleTime: Infinity,
  });

/** Read the pages in sight again whenever something crossed, and no others: a mirror may have 50,000 pairs. */
export function useFresh(id: number, chosen: Chosen, first: number, last: number, stamp: number): void {
  const queries = useQueryClient();
  const key = JSON.stringify(chosen);
  useEffect(() => {
    const wanted = JSON.parse(key) as Chosen; // compared by what it says, not by which object it is
    const kept = queries.getQueryData<InfiniteData<Rows, number>>(rowsKey(id, wanted));
    if (!kept) return;
    const inSight = kept.pageParams.map((after, n) => [after, n] as const).filter(([, n]) => n >= first && n <= last);
    let over = false;
    void Promise.all(inSight.map(async ([after, n]) => [n, await readPage(id, wanted, after)] as const)).then((read) => {
      if (over) return;
      queries.setQueryData<InfiniteData<Rows, number>>(rowsKey(id, wanted), (now) => {
        if (!now) return now;
        const pages = [...now.pages];
        for (const [n, page] of read) if (n < pages.length) pages[n] = page;
        return { ...now, pages };
      });
    });
    return () => {
      over = true;
    };
  }, [queries, id, key, first, last, stamp]);
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
