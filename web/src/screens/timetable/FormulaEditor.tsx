import { autocompletion, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { linter, type Diagnostic } from "@codemirror/lint";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { feel } from "@bpmn-io/lang-feel";
import CodeMirror, { type ReactCodeMirrorRef } from "@uiw/react-codemirror";
import { useEffect, useMemo, useRef } from "react";
import { useLine } from "./lineContext";
import { usePointing } from "./pointing";
import { useFunctions, type Functions, type Read } from "./useFormula";

interface Props {
  label: string;
  text: string;
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

/** A formula, with completion for names, functions and choices, a hint for the function one is in, and what it gives. */
export function FormulaEditor({ label, text, read, choices, onChange, onClose }: Props) {
  const { carried, shown, sample } = useLine();
  const functions = useFunctions().data;
  const { aim } = usePointing();
  const editor = useRef<ReactCodeMirrorRef>(null);

  const complete = useMemo(() => {
    const names = carried.map((c) => ({ label: c.written, type: "variable", detail: shown({ line: c.line, value: c.key }).slice(0, 40), boost: 2 }));
    const once = new Map((functions ?? []).map((f) => [f.name, { label: f.name, apply: `${f.name}(`, type: "function", detail: f.signature.slice(f.name.length), info: f.says }]));
    const texts = (choices ?? []).map((c) => ({ label: quoted(c), type: "constant", boost: 3 }));
    return (context: CompletionContext): CompletionResult | null => {
      const word = context.matchBefore(/"?[\p{L}`][\p{L}\d .`]*$/u) ?? context.matchBefore(/"$/);
      if (!word && !context.explicit) return null;
      const typed = word?.text ?? "";
      // of several words typed, those from the last that begins a known name on
      const all = [...names, ...once.values(), ...texts];
      let from = word?.from ?? context.pos;
      for (let rest = typed; rest; rest = rest.slice(rest.indexOf(" ") + 1)) {
        if (all.some((o) => o.label.toLowerCase().startsWith(rest.toLowerCase()))) break;
        if (!rest.includes(" ")) break;
        from += rest.indexOf(" ") + 1;
      }
      return { from, options: all, validFor: /^"?[\p{L}\d .`]*$/u };
    };
  }, [carried, shown, functions, choices]);

  const problem = read?.problem && read.text === text ? read.problem : null;
  const extensions = useMemo(() => {
    const marks = linter(
      (view): Diagnostic[] => {
        const end = view.state.doc.length;
        if (!problem || end === 0) return [];
        const from = Math.min(problem.at, Math.max(0, end - 1));
        return [{ from, to: Math.min(Math.max(problem.to, from + 1), end), severity: "error", message: problem.sentence }];
      },
      { delay: 0 },
    );
    return [
      feel({ dialect: "expression", context: Object.fromEntries(carried.map((c) => [c.written, null])), completions: [] }),
      autocompletion({ override: [complete], icons: false }),
      syntaxHighlighting(colours),
      look,
      EditorView.lineWrapping,
      EditorView.cspNonce.of(nonce),
      EditorView.contentAttributes.of({ "aria-label": label }),
      marks,
    ];
  }, [carried, complete, label, problem]);

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
        theme="none"
        placeholder="a formula, for example Date + duration(&quot;P3D&quot;)"
        basicSetup={{ lineNumbers: false, foldGutter: false, highlightActiveLine: false, autocompletion: false, searchKeymap: false, highlightSelectionMatches: false }}
        extensions={extensions}
      />
      {hint.map((f) => (
        <div key={f.signature} className="hint">
          <b>{f.signature}</b> {f.says}
        </div>
      ))}
      <Outcome read={read} problem={problem} sample={sample} hint={hint} replace={(at, to, by) => onChange(text.slice(0, at) + by + text.slice(to))} />
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
