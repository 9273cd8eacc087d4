import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answer, client, type Schemas } from "../../api/client";

export type TodayOut = Schemas["TodayOut"];
export type Entry = Schemas["EntryOut"];
export type Cause = Schemas["CauseOut"];

export const useToday = () =>
  useQuery({ queryKey: ["today"], queryFn: () => answer(client.GET("/api/v1/today")), refetchInterval: 60_000 });

export const useAttention = (alsoNeverOn = false) =>
  useQuery({
    queryKey: ["attention", alsoNeverOn],
    queryFn: () => answer(client.GET("/api/v1/attention", { params: { query: { also_never_on: alsoNeverOn } } })),
    refetchInterval: 60_000,
  });

export const useDayList = () =>
  useInfiniteQuery({
    queryKey: ["today", "list"],
    queryFn: ({ pageParam }) => answer(client.GET("/api/v1/today/list", { params: { query: { before: pageParam } } })),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });
