import { autocompletion, startCompletion, type Completion, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { linter, setDiagnostics, type Diagnostic } from "@codemirror/lint";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { feel } from "@bpmn-io/lang-feel";
import CodeMirror, { type ReactCodeMirrorRef } from "@uiw/react-codemirror";
import { useEffect, useMemo, useRef } from "react";
import { useLine } from "./lineContext";
import type { Carried, Ref } from "./model";
import { usePointing } from "./pointing";
import { useFunctions, type Functions, type Read } from "./useFormula";

export interface FormulaProps {
  label: string;
  text: string;
  /** It was begun before this was there: what was typed is gone on with. */
  begun?: boolean;
  read: Read | null;
  /** Names of choices that a text may be, offered in quotation marks. */
  choices?: string[];
  onChange: (text: string) => void;
  onClose?: () => void;
}

const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content ?? "";
const colours = HighlightStyle.define([
  { tag: tags.string, color: "var(--fern)" },
  { tag: tags.number, color: "var(--brick)" },
  { tag: [tags.keyword, tags.operator, tags.controlKeyword], color: "var(--petrol)", fontWeight: "650" },
  { tag: [tags.function(tags.variableName), tags.function(tags.special(tags.variableName))], color: "var(--petrol)" },
]);
const look = EditorView.theme({
  "&": { fontSize: "13px", background: "var(--sheet)", color: "var(--ink)" },
  ".cm-content": { fontFamily: "ui-monospace, monospace", caretColor: "var(--ink)", padding: "3px 0" },
  "&.cm-focused": { outline: "none" },
  ".cm-tooltip": { background: "var(--sheet)", border: "1px solid var(--rule-strong)", color: "var(--ink)" },
  ".cm-tooltip-autocomplete ul li[aria-selected]": { background: "var(--marigold-soft)", color: "var(--ink)" },
});

/** One object for all renders: a new one would set the editor up anew with each. */
const SETUP = {
  lineNumbers: false,
  foldGutter: false,
  highlightActiveLine: false,
  autocompletion: false,
  searchKeymap: false,
  highlightSelectionMatches: false,
};

/** Milliseconds before a problem is marked: a mark within 200 of the editor's getting the focus sends its cursor to the beginning. */
const SETTLED = 250;

function quoted(text: string) {
  return `"${text.replace(/["\\]/g, "\\$&")}"`;
}

/** The function whose parentheses the cursor stands in. */
function callAt(text: string, at: number): string | null {
  let depth = 0;
  for (let n = at - 1; n >= 0; n--) {
    if (text[n] === ")") depth++;
    else if (text[n] === "(" && depth-- === 0) return /([\p{L}][\p{L}\d ]*)$/u.exec(text.slice(0, n))?.[1]?.trim() ?? null;
  }
  return null;
}

interface Known {
  carried: Carried[];
  shown: (ref: Ref) => string;
  functions: Functions | undefined;
  choices: string[] | undefined;
}

/** Puts a function in with its parentheses, and the cursor between them where it takes something. */
const called = (f: Functions[number]) => (view: EditorView, _: Completion, from: number, to: number) =>
  view.dispatch({
    changes: { from, to, insert: `${f.name}()` },
    selection: { anchor: from + f.name.length + (f.params.length > 0 ? 1 : 2) },
    userEvent: "input.complete",
  });

/** Names, functions and choices that what is typed may go on to. */
function completions(context: CompletionContext, { carried, shown, functions, choices }: Known): CompletionResult | null {
  const word = context.matchBefore(/"?[\p{L}`][\p{L}\d .`]*$/u) ?? context.matchBefore(/"$/);
  if (!word && !context.explicit) return null;
  const once = new Map((functions ?? []).map((f) => [f.name, f]));
  const all: Completion[] = [
    ...carried.map((c) => ({ label: c.written, type: "variable", detail: shown({ line: c.line, value: c.key }).slice(0, 40), boost: 2 })),
    ...[...once.values()].map((f) => ({
      label: f.name,
      apply: called(f),
      type: "function",
      detail: f.signature.slice(f.name.length),
      info: f.says,
    })),
    ...(choices ?? []).map((c) => ({ label: quoted(c), type: "constant", boost: 3 })),
  ];
  // of several words typed, those from the last that begins a known name on
  const typed = word?.text ?? "";
  let from = word?.from ?? context.pos;
  for (let rest = typed; rest.includes(" "); rest = rest.slice(rest.indexOf(" ") + 1)) {
    const begun = rest.toLowerCase();
    if (all.some((o) => o.label.toLowerCase().startsWith(begun))) break;
    from += rest.indexOf(" ") + 1;
  }
  return { from, options: all, validFor: /^"?[\p{L}\d .`]*$/u };
}

/** A formula, with completion for names, functions and choices, a hint for the function one is in, and what it gives. */
export default function FormulaCode({ label, text, begun = false, read, choices, onChange, onClose }: FormulaProps) {
  const { carried, shown, sample } = useLine();
  const functions = useFunctions().data;
  const { aim } = usePointing();
  const editor = useRef<ReactCodeMirrorRef>(null);

  // Extensions stay the same while one types: to change them would close the list of completions
  const known = useRef({ carried, shown, functions, choices });
  useEffect(() => {
    known.current = { carried, shown, functions, choices };
  });
  const names = carried.map((c) => c.written).join("\n");
  const extensions = useMemo(
    () => [
      feel({ dialect: "expression", context: Object.fromEntries(names.split("\n").map((n) => [n, null])), completions: [] }),
      autocompletion({ override: [(context) => completions(context, known.current)], icons: false }),
      syntaxHighlighting(colours),
      linter(null), // added with the first mark only, it would be lost whenever the editor is set up anew
      look,
      EditorView.lineWrapping,
      EditorView.cspNonce.of(nonce),
      EditorView.contentAttributes.of({ "aria-label": label }),
    ],
    [names, label],
  );

  const problem = read?.problem && read.text === text ? read.problem : null;
  useEffect(() => {
    const wait = setTimeout(() => {
      const view = editor.current?.view;
      const end = view?.state.doc.length ?? 0;
      if (!view) return;
      const from = Math.min(problem?.at ?? 0, Math.max(0, end - 1));
      const marks: Diagnostic[] =
        problem && end > 0
          ? [{ from, to: Math.min(Math.max(problem.to, from + 1), end), severity: "error", message: problem.sentence }]
          : [];
      view.dispatch(setDiagnostics(view.state, marks));
    }, SETTLED);
    return () => clearTimeout(wait);
  }, [problem, text]);

  const put = (written: string) => {
    const view = editor.current?.view;
    if (!view) return onChange(text + written);
    view.dispatch(view.state.replaceSelection(written));
    view.focus();
  };
  const putLater = useRef(put);
  useEffect(() => {
    putLater.current = put;
  });

  const cursor = editor.current?.view?.state.selection.main.head ?? text.length;
  const inside = callAt(text, cursor);
  const hint = functions?.filter((f) => f.name === inside) ?? [];
  return (
    <div
      className="formula"
      onFocus={() =>
        aim((ref) => {
          const known = carried.find((c) => c.line === ref.line && c.key === ref.value);
          if (known) putLater.current(known.written);
        })
      }
      onKeyDown={(event) => {
        if (event.key === "Escape" && !event.defaultPrevented) onClose?.();
      }}
    >
      <CodeMirror
        ref={editor}
        value={text}
        onChange={onChange}
        autoFocus
        onCreateEditor={(view) => {
          if (!begun) return;
          view.dispatch({ selection: { anchor: view.state.doc.length } });
          startCompletion(view);
        }}
        theme="none"
        placeholder='a formula, for example Date + duration("P3D")'
        basicSetup={SETUP}
        extensions={extensions}
      />
      {hint.map((f) => (
        <div key={f.signature} className="hint">
          <b>{f.signature}</b> {f.says}
        </div>
      ))}
      <Outcome
        read={read}
        problem={problem}
        sample={sample}
        hint={hint}
        replace={(at, to, by) => onChange(text.slice(0, at) + by + text.slice(to))}
      />
    </div>
  );
}

interface OutcomeProps {
  read: Read | null;
  problem: Read["problem"];
  sample: number | null;
  hint: Functions;
  replace: (at: number, to: number, by: string) => void;
}

/** What is wrong and how to put it right, or what the chosen sample gives. */
function Outcome({ read, problem, sample, replace }: OutcomeProps) {
  if (problem) {
    return (
      <div className="bad" role="status">
        ! {problem.sentence}
        {problem.nearest && (
          <>
            {" · "}
            <button type="button" className="link" onClick={() => replace(problem.at, problem.to, problem.nearest)}>
              use {problem.nearest}
            </button>
          </>
        )}
      </div>
    );
  }
  const result = read?.results.find((r) => r.sample === sample);
  if (!result) return null;
  return (
    <div className={result.note ? "look" : "quiet"} role="status">
      {result.note ? `? ${result.note}` : <>gives {result.shown ? <b className="gives">{result.shown}</b> : <i>nothing</i>}</>}
    </div>
  );
}
