import { useCallback } from "react";
import { useSearchParams } from "react-router";

/** The chosen line and column of the grid. Kept in the address, so that a link leads to the cell and a reload keeps it. */
export function useChoice(first: string | null) {
  const [params, setParams] = useSearchParams();
  const choose = useCallback(
    (line: string, column: number | null) =>
      setParams(
        (now) => {
          const next = new URLSearchParams(now);
          next.set("line", line);
          if (column !== null) next.set("column", String(column));
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );
  return { line: params.get("line") ?? first, column: Number(params.get("column")) || null, choose };
}
