import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answer, client, type Schemas } from "../api/client";

export type Reading = Schemas["ReadingOut"];

const SETTLED = 90; // milliseconds without a key, before the server is asked

export interface Typed {
  text: string;
  caret: number;
  /** None where its words are to say. */
  database: number | null;
  each: boolean;
}

/** What the typed lines would be kept as, a moment after the last key. */
export function useUnderstanding(typed: Typed): Reading | undefined {
  const [settled, setSettled] = useState(typed);
  const { text, caret, database, each } = typed;
  useEffect(() => {
    const timer = setTimeout(() => setSettled({ text, caret, database, each }), SETTLED);
    return () => clearTimeout(timer);
  }, [text, caret, database, each]);
  const reading = useQuery({
    queryKey: ["capture", settled],
    queryFn: ({ signal }) => answer(client.POST("/api/v1/capture/understand", { body: settled, signal })),
    enabled: settled.text.trim() !== "",
    placeholderData: keepPreviousData,
    staleTime: 30_000,
    gcTime: 60_000,
    retry: false,
  });
  return text.trim() ? reading.data : undefined;
}
