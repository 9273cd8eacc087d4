import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { answer, client, type Schemas } from "../../api/client";
import { useLine } from "./lineContext";
import type { Formula } from "./model";

export type Read = Schemas["FormulaRead"];
export type Calculation = Schemas["CalculationOut"];
export type Functions = Schemas["FunctionOut"][];

/** A formula as it is typed, or in words. */
type Asked = Pick<Schemas["FormulaIn"], "text"> | Partial<Pick<Schemas["FormulaIn"], "calculation" | "fallback" | "part" | "filling">>;

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
    (what: Asked, asTest = false) =>
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
export function useFormula(start: string, keep: (formula: Formula, read: Read) => void, asTest = false, isNew = false) {
  const [text, setText] = useState(start);
  const [read, setRead] = useState<Read | null>(null);
  const reading = useReading();
  const latest = useRef(0);
  const keepLater = useRef(keep);
  useEffect(() => {
    keepLater.current = keep;
  });

  const unread = useRef<(() => void) | null>(null);

  useEffect(() => {
    const turn = ++latest.current;
    const readNow = async () => {
      const found = await reading({ text }, asTest).catch(() => null);
      if (!found || turn !== latest.current) return;
      unread.current = null;
      setRead(found);
      if (text !== start || found.problem || isNew) {
        if (text.trim()) keepLater.current({ kind: "formula", tree: found.tree, text: found.tree ? "" : text }, found);
      }
    };
    unread.current = text === start ? null : () => void readNow();
    const wait = setTimeout(readNow, PAUSE);
    return () => clearTimeout(wait);
    // `start` is where the editing began; it must not begin anew when what was kept comes back printed
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [text, asTest, isNew, reading]);

  // Who leaves right after the last key leaves with all that was typed.
  useEffect(() => () => unread.current?.(), []);

  return { text, setText, read };
}
