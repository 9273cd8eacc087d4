import { infiniteQueryOptions, queryOptions, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";

export type TodayOut = Schemas["TodayOut"];
export type Entry = Schemas["EntryOut"];
export type Cause = Schemas["CauseOut"];

export const TODAY = queryOptions({ queryKey: ["today"], queryFn: () => answer(client.GET("/api/v1/today")), refetchInterval: 60_000 });

export const useToday = () => useQuery(TODAY);

export const useAttention = (alsoNeverOn = false) =>
  useQuery({
    queryKey: ["attention", alsoNeverOn],
    queryFn: () => answer(client.GET("/api/v1/attention", { params: { query: { also_never_on: alsoNeverOn } } })),
    refetchInterval: 60_000,
  });

export const DAY_LIST = infiniteQueryOptions({
  queryKey: ["today", "list"],
  queryFn: ({ pageParam }) => answer(client.GET("/api/v1/today/list", { params: { query: { before: pageParam } } })),
  initialPageParam: undefined as number | undefined,
  getNextPageParam: (last) => last.next ?? undefined,
});

export const useDayList = () => useInfiniteQuery(DAY_LIST);
