import { Button } from "@mui/material";
import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useApp, useTargets, type Sample, type WorkflowDetail } from "../../api/queries";
import { readsCarried } from "../../fields";
import { TrialCell } from "./cells";
import { loadFormulas } from "./FormulaEditor";
import { Grid } from "./Grid";
import { LinePanel } from "./LinePanel";
import { usedBy } from "../../lines";
import { carriedFor, valueIn } from "./carried";
import { columnTime, replaceLine, sameRef, whenOf } from "./model";
import type { Line, Ref, Rehearsal } from "./model";
import { AddLineMenu } from "./AddLineMenu";
import { moveLine } from "./nesting";
import { useLineEdits } from "./useLineEdits";
import { PointingContext } from "./pointing";
import { CompareDialog } from "./CompareDialog";
import { SampleEditor } from "./SampleEditor";
import { SamplesCorner, shows, type Filter } from "./SamplesCorner";
import { SampleView } from "./SampleView";
import { conditionWords } from "./conditionWords";
import type { Draft } from "./useDraft";
import { useFetching } from "./useFetching";
import { useMakeField } from "./useMakeField";

interface Props {
  workflow: WorkflowDetail;
  draft: Draft;
  /** None while they are loaded. */
  samples: Sample[] | undefined;
  sample: Sample | undefined;
  rehearsal: Rehearsal | undefined;
  readAgain: () => void;
  zone: string;
  line: string | null;
  choose: (line: string, sample: number | null) => void;
  onTry: () => void;
}

/** Build and rehearse: the trial grid, and below it the chosen line beside the chosen sample. */
export function RehearsalTab({ workflow, draft, samples: loaded, sample, rehearsal, readAgain, zone, line, choose, onTry }: Props) {
  const { document, setDocument } = draft;
  const samples = loaded ?? [];
  const app = useApp(whenOf(document).app);
  const databases = useTargets();
  const [count, setCount] = useState(5);
  const [filter, setFilter] = useState<Filter>("all");
  const [comparing, setComparing] = useState(false);
  const fetching = useFetching(workflow.id, document, count, loaded);
  const [editing, setEditing] = useState<Sample | "new" | null>(null);
  const [adding, setAdding] = useState<{ at: HTMLElement | null; after: string | null } | null>(null);
  const addButton = useRef<HTMLButtonElement>(null);
  const panel = useRef<HTMLDivElement>(null);
  const goInto = useRef(false); // whether the focus goes into the panel of the line that is shown next: it was just added
  useEffect(() => {
    if (!goInto.current) return;
    goInto.current = false;
    panel.current?.querySelector<HTMLElement>("input, [role=combobox], button.link.first")?.focus();
  }, [line]);
  useEffect(() => {
    const soon = setTimeout(() => void loadFormulas(), 4_000); // once the screen stands; what opens a formula before that waits for it
    return () => clearTimeout(soon);
  }, []);
  const taker = useRef<((ref: Ref) => void) | null>(null);
  const chosen = document.lines.find((l) => l.id === line) ?? document.lines.at(-1);
  const when = whenOf(document).id;
  const carried = useMemo(() => (chosen ? carriedFor(document, chosen.id, rehearsal?.carried ?? []) : []), [chosen, document, rehearsal]);

  const valueOf = useCallback((ref: Ref) => valueIn(sample, rehearsal, ref, when), [sample, rehearsal, when]);
  const shown = useCallback(
    (ref: Ref) => {
      const value = valueOf(ref);
      const type = rehearsal?.carried.find((c) => sameRef({ line: c.line, value: c.key }, ref))?.type;
      return readsCarried(type ?? "", value, zone);
    },
    [valueOf, rehearsal, zone],
  );
  const aim = useCallback((take: ((ref: Ref) => void) | null) => {
    taker.current = take;
  }, []);
  const pointing = useMemo(() => ({ aim, point: (ref: Ref) => taker.current?.(ref), used: usedBy(chosen) }), [aim, chosen]);
  const makeField = useMakeField(chosen, setDocumentLine, databases);
  function setDocumentLine(next: Line) {
    setDocument(replaceLine(document, next));
  }

  const { insert, duplicate, remove } = useLineEdits({
    workflow: workflow.id,
    draft,
    chosen,
    choose: (id) => choose(id, null),
    onInserted: () => {
      setAdding(null);
      goInto.current = true;
    },
  });
  /** Below the line that is chosen now: until the menu stands, keys still move about in the grid. */
  const addBelow = (at: HTMLElement | null) => setAdding({ at, after: chosen?.id ?? null });
  const onKey = (event: KeyboardEvent) => {
    const ctrl = event.ctrlKey || event.metaKey;
    const act =
      event.key === "Enter" && ctrl
        ? onTry
        : event.key === "Enter"
          ? () => panel.current?.querySelector<HTMLElement>("input, [role=combobox], button")?.focus()
          : event.key === "Insert"
            ? () => addBelow(addButton.current)
            : event.key === "Delete"
              ? remove
              : ctrl && event.key.toLowerCase() === "d" && chosen
                ? () => duplicate(chosen.id)
                : ctrl && event.key.toLowerCase() === "z"
                  ? event.shiftKey
                    ? draft.redo
                    : draft.undo
                  : null;
    if (act) {
      event.preventDefault();
      act();
    }
  };
  const onKeyCapture = (event: KeyboardEvent) => {
    if (!event.altKey || !chosen || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    event.stopPropagation();
    setDocument(moveLine(document, chosen.id, event.key === "ArrowUp" ? -1 : 1));
  };

  const own = whenOf(document).own;
  const source = own ? own.kind !== "address" : whenOf(document).container;
  const seen = samples.filter((s) => shows(filter, rehearsal?.cells[String(s.id)]));
  const corner = (
    <SamplesCorner
      samples={samples.length}
      shown={seen.length}
      filter={filter}
      setFilter={setFilter}
      count={count}
      setCount={setCount}
      source={!!source}
      fetching={fetching}
      app={app}
      own={own ?? null}
      makeOne={() => setEditing("new")}
      compare={samples.length > 1 ? () => setComparing(true) : null}
    />
  );
  const foot = (
    <Button ref={addButton} variant="text" className="narrow" onClick={(event) => addBelow(event.currentTarget)}>
      + Add line
    </Button>
  );
  const marks = { edited: "✎", made_up: "✎", fetched: "" } as Record<string, string>;

  return (
    <PointingContext.Provider value={pointing}>
      <div className="contents" onKeyDownCapture={onKeyCapture}>
        <Grid
          label="Rehearsal: lines down, samples across"
          document={document}
          columns={seen.map((s) => ({ id: s.id, head: columnTime(s.at, zone), title: s.title, mark: marks[s.kind] }))}
          line={chosen?.id ?? null}
          column={sample?.id ?? null}
          corner={corner}
          cornerName="Samples"
          app={app}
          databases={databases}
          detail={(l) => ("conditions" in l ? conditionWords(l, rehearsal) : "")}
          cell={(l, c) => <TrialCell verb={l.verb} cell={rehearsal?.cells[String(c.id)]?.find((x) => x.line === l.id)} />}
          foot={foot}
          choose={choose}
          onKey={onKey}
        />
      </div>
      <AddLineMenu at={adding?.at ?? null} onChoose={(verb) => insert(verb, adding?.after ?? null)} onClose={() => setAdding(null)} />
      <div className="pane">
        <div ref={panel}>
          {chosen && (
            <LinePanel
              workflow={workflow}
              document={document}
              line={chosen}
              carried={carried}
              rehearsal={rehearsal}
              sample={sample}
              sampleName={sample ? `${columnTime(sample.at, zone)}, ${sample.title}` : ""}
              databases={databases}
              shown={shown}
              onChange={setDocumentLine}
              onRemove={remove}
              onDuplicate={() => duplicate(chosen.id)}
              setDocument={setDocument}
              choose={(id) => choose(id, null)}
              readAgain={readAgain}
              flush={draft.flush}
              follow={(ref) => choose(ref.line, null)}
            />
          )}
        </div>
        {sample ? (
          <SampleView
            sample={sample}
            carried={chosen?.id === when ? (rehearsal?.carried ?? []).filter((c) => c.line === when) : carried}
            when={when}
            own={own ?? null}
            app={app}
            zone={zone}
            shown={shown}
            valueOf={valueOf}
            unreadable={rehearsal?.unreadable[String(sample.id)] ?? {}}
            makeField={makeField}
            edit={() => setEditing(sample)}
          />
        ) : (
          <div>
            <div className="ph">No sample yet</div>
            <p className="quiet">Samples are real items from the source. They show what each line would do. Nothing is written.</p>
          </div>
        )}
      </div>
      {comparing && sample && (
        <CompareDialog
          document={document}
          rehearsal={rehearsal}
          samples={samples}
          first={sample}
          zone={zone}
          onClose={() => setComparing(false)}
        />
      )}
      {editing && (
        <SampleEditor
          workflow={workflow.id}
          fields={(rehearsal?.carried ?? []).filter((c) => c.line === when)}
          lists={(rehearsal?.lists ?? []).filter((l) => l.line === when)}
          word={app?.item_word ?? "item"}
          sample={editing === "new" ? null : editing}
          onClose={() => setEditing(null)}
        />
      )}
    </PointingContext.Provider>
  );
}
