import { queryOptions, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { answer, client, type Schemas } from "./client";

export type Database = Schemas["DatabaseOut"];
export type Field = Schemas["FieldOut"];
export type FieldType = Schemas["FieldTypeOut"];
export type RecordOut = Schemas["RecordOut"];
export type Workflow = Schemas["WorkflowOut"];
export type WorkflowDetail = Schemas["WorkflowDetail"];
export type Sample = Schemas["SampleOut"];
export type Run = Schemas["RunOut"];
export type Need = Schemas["NeedOut"];
export type Connection = Schemas["ConnectionOut"];
export type App = Schemas["AppOut"];
/** The field that is the records' text. */
export const TEXT_FIELD = "0";

export type Wire = string | boolean | string[] | string[][] | null;

export const ME = queryOptions({ queryKey: ["me"], queryFn: () => answer(client.GET("/api/v1/me")), staleTime: Infinity, retry: false });

export const useMe = () => useQuery(ME);

export const useApps = () => useQuery({ queryKey: ["apps"], queryFn: () => answer(client.GET("/api/v1/apps")), staleTime: Infinity });

export const useApp = (code: string | undefined) => useApps().data?.find((a) => a.code === code);

export const useFieldTypes = () =>
  useQuery({ queryKey: ["field-types"], queryFn: () => answer(client.GET("/api/v1/field-types")), staleTime: Infinity });

/** A type of field by its code, once the types are read. */
export function useTypeOf(): (code: string | undefined) => FieldType | undefined {
  const { data } = useFieldTypes();
  return (code) => data?.find((t) => t.code === code);
}

export const useDatabases = () => useQuery({ queryKey: ["databases"], queryFn: () => answer(client.GET("/api/v1/databases")) });

export const usePlaces = () => useQuery({ queryKey: ["places"], queryFn: () => answer(client.GET("/api/v1/places")) });

/** All that lines can work on: our databases, and the places of apps that were chosen. */
export function useTargets(): Database[] {
  const ours = useDatabases().data;
  const places = usePlaces().data;
  return useMemo(() => [...(ours ?? []), ...(places ?? [])], [ours, places]);
}

export const useConnections = () =>
  useQuery({ queryKey: ["connections"], queryFn: () => answer(client.GET("/api/v1/connections")), refetchInterval: 20_000 });

export const useSight = (id: number | null | undefined) =>
  useQuery({
    queryKey: ["connections", "sight", id],
    queryFn: () => answer(client.GET("/api/v1/connections/{connection_id}/sight", { params: { path: { connection_id: id ?? 0 } } })),
    enabled: id != null,
    staleTime: 10_000,
  });

/** What a connection costs in calls and runs, and what its app allows. */
export const useCosts = (id: number | null | undefined) =>
  useQuery({
    queryKey: ["connections", "costs", id],
    queryFn: () => answer(client.GET("/api/v1/connections/{connection_id}/costs", { params: { path: { connection_id: id ?? 0 } } })),
    enabled: id != null,
    staleTime: 10_000,
  });

export const useWorkflows = () => useQuery({ queryKey: ["workflows"], queryFn: () => answer(client.GET("/api/v1/workflows")) });

export const ofWorkflow = (id: number) =>
  queryOptions({
    queryKey: ["workflow", id],
    queryFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}", { params: { path: { workflow_id: id } } })),
  });

export const useWorkflow = (id: number) => useQuery(ofWorkflow(id));

/** The kinds of lines that other packages bring: they stay as they are while Kelvix runs. */
export const LINE_KINDS = queryOptions({
  queryKey: ["line-kinds"],
  queryFn: () => answer(client.GET("/api/v1/line-kinds")),
  staleTime: Infinity,
});

export const ofSamples = (workflow: number) =>
  queryOptions({
    queryKey: ["samples", workflow],
    queryFn: () => answer(client.GET("/api/v1/workflows/{workflow_id}/samples", { params: { path: { workflow_id: workflow } } })),
  });

export const useSamples = (workflow: number) => useQuery(ofSamples(workflow));

export const useRecord = (database: number, record: number) =>
  useQuery({
    queryKey: ["record", database, record],
    queryFn: () =>
      answer(
        client.GET("/api/v1/databases/{database_id}/records/{record_id}", {
          params: { path: { database_id: database, record_id: record } },
        }),
      ),
    retry: false,
  });

export const useNeeds = () => useQuery({ queryKey: ["needs"], queryFn: () => answer(client.GET("/api/v1/needs")) });

export interface RunFilter {
  workflow?: number;
  state?: string;
  words?: string;
  since?: string;
  until?: string;
  limit?: number;
}

export const useRuns = (filter: RunFilter) =>
  useInfiniteQuery({
    queryKey: ["runs", filter],
    queryFn: ({ pageParam }) => answer(client.GET("/api/v1/runs", { params: { query: { ...filter, before: pageParam } } })),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });

export const useRun = (id: number | null) =>
  useQuery({
    queryKey: ["run", id],
    queryFn: () => answer(client.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: id ?? 0 } } })),
    enabled: id != null,
  });
