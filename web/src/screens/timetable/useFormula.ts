import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { answer, client, type Schemas } from "../../api/client";
import { useLine } from "./lineContext";
import type { Formula } from "./model";

export type Read = Schemas["FormulaRead"];
export type Calculation = Schemas["CalculationOut"];
export type Functions = Schemas["FunctionOut"][];

const PAUSE = 180; // milliseconds without a key before a formula is read

export const useFunctions = () =>
  useQuery({ queryKey: ["functions"], queryFn: () => answer(client.GET("/api/v1/functions")), staleTime: Infinity });

/** Ask the server what a formula means on this line. */
export function useReading() {
  const { workflow, document, line } = useLine();
  const place = useRef({ document, line });
  useEffect(() => {
    place.current = { document, line };
  });
  return useCallback(
    (what: { text: string } | { calculation: Calculation }, asTest = false) =>
      answer(
        client.POST("/api/v1/workflows/{workflow_id}/formula", {
          params: { path: { workflow_id: workflow } },
          body: { document: place.current.document, line: place.current.line, text: "", as_test: asTest, ...what },
        }),
      ),
    [workflow],
  );
}

/**
 * A formula under edit: what was typed, what the server read in it, and the formula to keep. What cannot be read yet is kept as
 * text, so that nothing typed is lost.
 */
export function useFormula(start: string, keep: (formula: Formula, read: Read) => void, asTest = false) {
  const [text, setText] = useState(start);
  const [read, setRead] = useState<Read | null>(null);
  const reading = useReading();
  const latest = useRef(0);
  const keepLater = useRef(keep);
  useEffect(() => {
    keepLater.current = keep;
  });

  useEffect(() => {
    const turn = ++latest.current;
    const wait = setTimeout(async () => {
      const found = await reading({ text }, asTest).catch(() => null);
      if (!found || turn !== latest.current) return;
      setRead(found);
      if (text !== start || found.problem) {
        if (text.trim()) keepLater.current({ kind: "formula", tree: found.tree, text: found.tree ? "" : text }, found);
      }
    }, PAUSE);
    return () => clearTimeout(wait);
    // `start` is where the editing began; it must not begin anew when what was kept comes back printed
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [text, asTest, reading]);

  return { text, setText, read };
}
