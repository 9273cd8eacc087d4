import { useEffect, useId, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useTypeOf } from "../../api/queries";
import { FormulaPart } from "./FormulaPart";
import { loadFormulas } from "./FormulaEditor";
import { useLine } from "./lineContext";
import { tidy, type Part, type Ref } from "./model";
import { OfferList } from "./OfferList";
import { useOffers, type Offer } from "./offers";
import { usePointing } from "./pointing";
import { FormulaToken, Token } from "./tokens";
import { useReading } from "./useFormula";

interface Props {
  label: string;
  parts: Part[];
  choices?: string[];
  onChange: (parts: Part[]) => void;
}

/** Texts at the even places, values and formulas at the odd ones, so that there is always a place to type. */
function interleave(parts: Part[]): Part[] {
  const result: Part[] = [{ text: "" }];
  for (const part of parts) {
    if (part.ref || part.formula) result.push(part, { text: "" });
    else result[result.length - 1] = { text: (result.at(-1)?.text ?? "") + (part.text ?? "") };
  }
  return result;
}

/**
 * A box that takes typed text, carried values and formulas, as small tokens, mixed. Typing also searches the values; “=” at the
 * beginning makes a formula of the box.
 */
export function FilledWith({ label, parts, choices, onChange }: Props) {
  const { carried } = useLine();
  const typeOf = useTypeOf();
  const slots = useMemo(() => interleave(parts), [parts]);
  const [place, setPlace] = useState<number | null>(null);
  const [query, setQuery] = useState<string | null>(null);
  const [picked, setPicked] = useState(0);
  const [editing, setEditing] = useState<number | null>(null); // the slot whose formula is open
  const [fresh, setFresh] = useState<string | null>(null); // a formula that is not kept yet
  const [opening, setOpening] = useState<string | null>(null); // “=” and what is typed behind it until its editor is there
  const typed = useRef<string | null>(null);
  const [inside, setInside] = useState(false); // whether one is in the box: only then there is room before and between values
  const box = useRef<HTMLDivElement>(null);
  const inputs = useRef(new Map<number, HTMLInputElement>());
  const goTo = useRef<number | null>(null);
  const reading = useReading();
  const { aim } = usePointing();
  const list = useId();

  const found = useOffers(query, choices);
  const open = place !== null && found.length > 0;

  useEffect(() => {
    if (goTo.current !== null) inputs.current.get(goTo.current)?.focus();
    goTo.current = null;
  }, [slots]);

  /** Put a value where the cursor is, or at the end; the words that were typed to find it go. */
  const insert = (part: Part, instead = "") => {
    const at = place ?? slots.length - 1;
    const text = slots[at]?.text ?? "";
    const before = instead && text.endsWith(instead) ? text.slice(0, text.length - instead.length) : text;
    onChange(tidy([...slots.slice(0, at), { text: before }, part, { text: "" }, ...slots.slice(at + 1)]));
    goTo.current = at + 2;
    setQuery(null);
  };
  const insertLater = useRef(insert);
  useEffect(() => {
    insertLater.current = insert;
  });

  const take = async ({ value, part, choice }: Offer) => {
    const typed = query ?? "";
    setQuery(null);
    if (!value) return onChange([{ text: choice }]);
    if (!part) return insert({ ref: { line: value.line, value: value.key } }, typed);
    const read = await reading({ part: { line: value.line, key: value.key, part } });
    if (read.tree) insert({ formula: { kind: "formula", tree: read.tree, text: "" } }, typed);
  };
  /** What the box holds becomes one formula, to be edited as it is written. */
  const asFormula = async () => {
    const [first] = parts;
    if (!first) return void loadFormulas().then(() => setFresh(""));
    const read = await reading({ filling: parts });
    if (!read.tree) return;
    onChange([{ formula: { kind: "formula", tree: read.tree, text: "" } }]);
    setEditing(1);
  };

  const type = (at: number, text: string) => {
    if (opening !== null || (text.startsWith("=") && slots.length === 1 && parts.length === 0)) {
      typed.current = text;
      setOpening(text);
      setQuery(null);
      void loadFormulas().then(() => {
        if (typed.current !== null) setFresh(typed.current.slice(1));
        typed.current = null;
        setOpening(null);
      });
      return;
    }
    onChange(tidy(slots.map((s, n) => (n === at ? { text } : s))));
    const last = /(\S+)$/.exec(text)?.[1];
    setQuery(last && last.length > 1 ? last : null);
    setPicked(0);
  };

  const put = (at: number, part: Part) => onChange(tidy(slots.map((s, n) => (n === at ? part : s))));
  const remove = (at: number) => {
    goTo.current = at - 1;
    setEditing(null);
    onChange(tidy(slots.filter((_, n) => n !== at)));
  };
  /** A value becomes a calculation with it, to be said in words. */
  const calculate = async (at: number, ref: Ref) => {
    const known = carried.find((c) => c.line === ref.line && c.key === ref.value);
    const step = typeOf(known?.type)?.is_number
      ? ({ sign: "*", amount: "1", unit: "" } as const)
      : ({ sign: "+", amount: "1", unit: "days" } as const);
    const read = await reading({ calculation: { line: ref.line, key: ref.value, ...step } });
    if (!read.tree) return;
    put(at, { formula: { kind: "formula", tree: read.tree, text: "" } });
    setEditing(at);
  };

  const onKey = (event: KeyboardEvent<HTMLInputElement>, at: number) => {
    const input = event.currentTarget;
    if (event.key === "ArrowDown") {
      event.preventDefault();
      if (open) setPicked((n) => Math.min(n + 1, found.length - 1));
      else setQuery("");
    } else if (event.key === "ArrowUp" && open) {
      event.preventDefault();
      setPicked((n) => Math.max(n - 1, 0));
    } else if (event.key === "Enter" && open) {
      event.preventDefault();
      const offer = found[picked];
      if (offer) void take(offer);
    } else if (event.key === "Escape") {
      setQuery(null);
    } else if (event.key === "Backspace" && input.selectionStart === 0 && input.selectionEnd === 0 && at > 0) {
      event.preventDefault();
      remove(at - 1);
    } else if (event.key === "ArrowLeft" && input.selectionStart === 0 && at > 1) {
      inputs.current.get(at - 2)?.focus();
    } else if (event.key === "ArrowRight" && input.selectionStart === input.value.length && at + 2 < slots.length) {
      inputs.current.get(at + 2)?.focus();
    }
  };

  const edited = editing === null ? null : (slots[editing]?.formula ?? null);
  return (
    <>
      <div
        ref={box}
        className={inside ? "filled inside" : "filled"}
        onClick={(event) => event.target === box.current && inputs.current.get(slots.length - 1)?.focus()}
      >
        {slots.map((slot, at) => {
          const ref = slot.ref;
          if (ref) {
            const type = typeOf(carried.find((c) => c.line === ref.line && c.key === ref.value)?.type);
            const counted = type?.is_number || type?.tells_day;
            return <Token key={at} at={ref} remove={() => remove(at)} calculate={counted ? () => void calculate(at, ref) : undefined} />;
          }
          if (slot.formula) {
            const isOpen = editing === at;
            return (
              <FormulaToken
                key={at}
                formula={slot.formula}
                open={isOpen}
                edit={() => setEditing(isOpen ? null : at)}
                remove={() => remove(at)}
              />
            );
          }
          return (
            <input
              key={at}
              ref={(element) => void (element ? inputs.current.set(at, element) : inputs.current.delete(at))}
              className={slot.text || at === slots.length - 1 ? "typed" : "typed gap"}
              aria-label={at === 0 ? label : `${label}, text`}
              role="combobox"
              aria-expanded={open && place === at}
              aria-controls={list}
              aria-autocomplete="list"
              placeholder=" "
              value={opening ?? slot.text ?? ""}
              onChange={(event) => type(at, event.target.value)}
              onKeyDown={(event) => onKey(event, at)}
              onClick={() => query === null && setQuery("")}
              onFocus={() => {
                setPlace(at);
                setInside(true);
                aim((ref) => insertLater.current({ ref }));
              }}
              onBlur={() =>
                setTimeout(() => {
                  setQuery(null);
                  setInside(box.current?.contains(document.activeElement) ?? false);
                }, 150)
              }
            />
          );
        })}
        {fresh === null && !(parts.length === 1 && parts[0]?.formula) && (
          <button
            type="button"
            className="step asformula"
            onMouseDown={(event) => event.preventDefault()}
            onClick={() => void asFormula()}
            aria-label={`Formula for ${label.replace(/ is filled with$/, "")}`}
          >
            Formula
          </button>
        )}
        <OfferList id={list} open={open} anchor={box.current} offers={found} picked={picked} onTake={(offer) => void take(offer)} />
      </div>
      {(edited || fresh !== null) && (
        <FormulaPart
          key={fresh === null ? editing : "fresh"}
          label={`Formula for ${label.replace(/ is filled with$/, "")}, text`}
          formula={edited ?? { kind: "formula", tree: "", text: fresh ?? "" }}
          choices={choices}
          onChange={(formula) => {
            if (fresh !== null) {
              onChange([{ formula }]);
              setEditing(1);
            } else if (editing !== null) put(editing, { formula });
          }}
          onClose={() => {
            setEditing(null);
            setFresh(null);
          }}
        />
      )}
    </>
  );
}
