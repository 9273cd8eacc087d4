import { useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { answer, client, type Schemas } from "../../api/client";
import { useLine } from "./lineContext";
import { above } from "./nesting";
import { fill, fillingOf, replaceLine, type Fills, type Adds } from "./model";

export type Suggestion = Schemas["SuggestionOut"];

/** What could fill the fields of a line that are not filled yet. */
export function useSuggestions(line: Adds): Suggestion[] {
  const { workflow, document } = useLine();
  const before = useDeferredValue(above(document, line.id));
  const found = useQuery({
    queryKey: ["suggestions", workflow, line.id, line.database, before],
    queryFn: () =>
      answer(
        client.POST("/api/v1/workflows/{workflow_id}/suggest", {
          params: { path: { workflow_id: workflow } },
          // as if nothing were filled, so that taking one away brings its proposal back without asking again
          body: { line: line.id, document: replaceLine(document, { ...line, fillings: [] }) },
        }),
      ),
    enabled: line.database != null,
    staleTime: 60_000,
  });
  return (found.data ?? []).filter((s) => fillingOf(line, s.field).length === 0);
}

interface Props<L extends Fills> {
  line: L;
  onChange: (line: L) => void;
}

/** Take all proposals, or those that are sure. */
export function SuggestionsHead<L extends Fills>({ suggested, line, onChange }: Props<L> & { suggested: Suggestion[] }) {
  const sure = suggested.filter((s) => s.sure);
  if (suggested.length === 0) return null;
  return (
    <div className="row suggestions">
      <span className="quiet">
        {suggested.length} {suggested.length === 1 ? "field has a suggestion" : "fields have suggestions"}
      </span>
      {sure.length > 0 && sure.length < suggested.length && (
        <button className="link" onClick={() => onChange(fill(line, sure))}>
          Accept {sure.length} confident
        </button>
      )}
      <button className="link" onClick={() => onChange(fill(line, suggested))}>
        Accept all
      </button>
    </div>
  );
}

/** The proposal for one field, with its reason. */
export function Suggested<L extends Fills>({ suggestion, line, onChange }: Props<L> & { suggestion: Suggestion | undefined }) {
  if (!suggestion) return null;
  const found = suggestion.words === "a formula";
  return (
    <span className="suggested">
      <button className="link wrap" onClick={() => onChange(fill(line, [suggestion]))}>
        Use {found ? suggestion.reason : suggestion.words}
      </button>{" "}
      <span className="quiet">
        {suggestion.sure ? "confident" : "possible"}: {found ? "found in a text" : suggestion.reason}
      </span>
    </span>
  );
}
