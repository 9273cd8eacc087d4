import { MenuItem, Select } from "@mui/material";
import { useCallback, useEffect, useRef, useState } from "react";
import { ConditionRow } from "../../screens/timetable/ConditionRow";
import { FormulaEditor } from "../../screens/timetable/FormulaEditor";
import { useLine } from "../../screens/timetable/lineContext";
import type { Cell, Condition, Group, OnlyIf, Operator, Ref, Test, Way } from "../../screens/timetable/model";
import { usePointing } from "../../screens/timetable/pointing";
import { useFormula } from "../../screens/timetable/useFormula";

interface Props<L extends OnlyIf | Way> {
  line: L;
  cell: Cell | undefined;
  onChange: (line: L) => void;
}

const SAID: Partial<Record<Cell["state"], string>> = {
  goes_on: "this sample continues",
  passed_by: "this sample is skipped",
  left: "this sample skips the lines below",
  taken: "this sample takes this branch",
  not_taken: "this sample doesn’t take this branch",
};

/** Conditions as rows, or as the formula that they write; each is read from the other. */
export function OnlyIfPanel<L extends OnlyIf | Way>({ line, cell, onChange }: Props<L>) {
  const { rehearsal } = useLine();
  const [written, setWritten] = useState(false);
  const formula = rehearsal?.tests[line.id] ?? "";
  const state = cell?.state === "put_right" ? `! ${cell.note}` : ((cell && SAID[cell.state]) ?? "");
  const verb = line.verb === "way" ? "Taken" : "Continue";
  return (
    <>
      <div className="row below-1">
        {written ? (
          <span>{verb} if this is true</span>
        ) : (
          <Mode verb={verb} mode={line.mode} onChange={(mode) => onChange({ ...line, mode })} />
        )}
        <span className={cell?.state === "put_right" ? "bad" : "quiet"}>{state}</span>
        <button
          className="link push"

          onClick={() => setWritten(!written)}
          disabled={!written && line.conditions.length > 0 && !formula}
        >
          {written ? "Edit as rows" : "Edit as formula"}
        </button>
      </div>
      {written ? (
        <Written start={formula} onChange={(mode, conditions) => onChange({ ...line, mode, conditions })} />
      ) : (
        <Rows line={line.id} conditions={line.conditions} first={0} onChange={(conditions) => onChange({ ...line, conditions })} />
      )}
    </>
  );
}

interface ModeProps {
  mode: Group["mode"];
  onChange: (mode: Group["mode"]) => void;
  /** What happens when the conditions hold; none within a group. */
  verb?: string;
}

function Mode({ mode, onChange, verb }: ModeProps) {
  const within = !verb;
  return (
    <>
      {verb && <span>{verb} if</span>}
      <Select
        value={mode}
        SelectDisplayProps={{ "aria-label": within ? "All or any in this group" : "All or any condition" }}
        onChange={(event) => onChange(event.target.value as Group["mode"])}
      >
        <MenuItem value="all">all are true</MenuItem>
        <MenuItem value="any">any is true</MenuItem>
        <MenuItem value="none">none is true</MenuItem>
      </Select>
    </>
  );
}

/** How many rows a test takes in the reading order that results come in. */
function size(test: Test): number {
  return 1 + (test.kind === "group" ? test.conditions.reduce((n, c) => n + size(c), 0) : 0);
}

interface RowsProps {
  line: string;
  conditions: Test[];
  /** Where the first of these rows stands in the reading order. */
  first: number;
  onChange: (conditions: Test[]) => void;
}

/** Rows that go together, groups of them indented. Each says how many of the samples pass it. */
function Rows({ line, conditions, first, onChange }: RowsProps) {
  const { carried, rehearsal } = useLine();
  const { aim } = usePointing();
  const cells = Object.values(rehearsal?.cells ?? {}).flatMap((c) => c.filter((x) => x.line === line && x.rows.length > 0));
  const starts = conditions.map((_, n) => first + conditions.slice(0, n).reduce((sum, c) => sum + size(c), 0));
  const set = (at: number, test: Test) => onChange(conditions.map((c, n) => (n === at ? test : c)));
  const remove = (at: number) => onChange(conditions.filter((_, n) => n !== at));
  const add = (ref: Ref) => {
    const known = carried.find((c) => c.line === ref.line && c.key === ref.value);
    const made: Condition = { kind: "condition", ref, operator: (known?.operators[0] ?? "mentions") as Operator, words: [] };
    onChange([...conditions, made]);
    goTo.current = true;
  };
  const rows = useRef<HTMLDivElement>(null);
  const goTo = useRef(false); // whether the focus goes to the last row: it was just added
  useEffect(() => {
    if (goTo.current) [...(rows.current?.querySelectorAll<HTMLElement>(":scope > .cond [role=combobox]") ?? [])].at(-3)?.focus();
    goTo.current = false;
  }, [conditions.length]);
  const addLater = useRef(add);
  useEffect(() => {
    addLater.current = add;
  });
  // What is pointed at in the sample goes to the rows one was in last; to begin with, to the outermost.
  const take = useCallback(() => aim((ref) => addLater.current(ref)), [aim]);
  useEffect(() => {
    if (first === 0) take();
  }, [first, take]);
  const one = carried[0] && { line: carried[0].line, value: carried[0].key };
  return (
    <div
      ref={rows}
      onFocus={(event) => {
        event.stopPropagation();
        take();
      }}
    >
      {conditions.map((test, at) => {
        const start = starts[at] ?? 0;
        const passed = cells.filter((c) => c.rows[start] === true).length;
        const count = (
          <span className="quiet count" aria-label={`${passed} of ${cells.length} samples continue`}>
            {cells.length > 0 && `${passed} of ${cells.length}`}
          </span>
        );
        if (test.kind === "group") {
          return (
            <div key={at} className="group">
              <div className="row">
                <Mode mode={test.mode} onChange={(mode) => set(at, { ...test, mode })} />
                {count}
                <button className="link" aria-label="Remove group" onClick={() => remove(at)}>
                  ×
                </button>
              </div>
              <Rows
                line={line}
                conditions={test.conditions}
                first={start + 1}
                onChange={(inner) => set(at, { ...test, conditions: inner })}
              />
            </div>
          );
        }
        return <ConditionRow key={at} test={test} count={count} onChange={(next) => set(at, next)} onRemove={() => remove(at)} />;
      })}
      <div className="flush around-1">
        <button className="link" onClick={() => one && add(one)}>
          + Add condition
        </button>
        {" · "}
        <button className="link" onClick={() => one && onChange([...conditions, { kind: "group", mode: "any", conditions: [] }])}>
          + Add group
        </button>
        {first === 0 && <span className="quiet"> or select a part of the sample</span>}
      </div>
    </div>
  );
}

interface WrittenProps {
  start: string;
  onChange: (mode: OnlyIf["mode"], conditions: Test[]) => void;
}

function Written({ start, onChange }: WrittenProps) {
  const { text, setText, read } = useFormula(
    start,
    (formula, found) => (found.tree ? onChange(found.mode, found.conditions) : onChange("all", [formula])),
    true,
  );
  return <FormulaEditor label="Condition as a formula" text={text} read={read} onChange={setText} />;
}
