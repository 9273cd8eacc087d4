import { Popper, Tooltip } from "@mui/material";
import { useEffect, useId, useMemo, useRef, useState, type KeyboardEvent } from "react";
import { sameRef, tidy, type Carried, type Part, type Ref } from "./model";
import { usePointing } from "./pointing";

interface Props {
  label: string;
  parts: Part[];
  carried: Carried[];
  shown: (ref: Ref) => string;
  onChange: (parts: Part[]) => void;
  follow: (ref: Ref) => void;
}

/** Texts at the even places, values at the odd ones, so that there is always a place to type. */
function interleave(parts: Part[]): Part[] {
  const result: Part[] = [{ text: "" }];
  for (const part of parts) {
    if (part.ref) result.push(part, { text: "" });
    else result[result.length - 1] = { text: (result.at(-1)?.text ?? "") + (part.text ?? "") };
  }
  return result;
}

/** A box that takes typed text and carried values, as small tokens, mixed. Typing also searches the values. */
export function FilledWith({ label, parts, carried, shown, onChange, follow }: Props) {
  const slots = useMemo(() => interleave(parts), [parts]);
  const [place, setPlace] = useState<number | null>(null);
  const [query, setQuery] = useState<string | null>(null);
  const [picked, setPicked] = useState(0);
  const box = useRef<HTMLDivElement>(null);
  const inputs = useRef(new Map<number, HTMLInputElement>());
  const goTo = useRef<number | null>(null);
  const { aim } = usePointing();
  const list = useId();

  const found = useMemo(() => {
    if (query === null) return [];
    const words = query.toLowerCase().trim();
    return carried.filter((c) => !words || `${c.name.join(" ")} ${shown({ line: c.line, value: c.key })}`.toLowerCase().includes(words)).slice(0, 30);
  }, [query, carried, shown]);
  const open = place !== null && found.length > 0;

  useEffect(() => {
    if (goTo.current !== null) inputs.current.get(goTo.current)?.focus();
    goTo.current = null;
  }, [slots]);

  /** Put a value where the cursor is, or at the end; the words that were typed to find it go. */
  const insert = (ref: Ref, instead = "") => {
    const at = place ?? slots.length - 1;
    const text = slots[at]?.text ?? "";
    const before = instead && text.endsWith(instead) ? text.slice(0, text.length - instead.length) : text;
    const next = [...slots.slice(0, at), { text: before }, { ref }, { text: "" }, ...slots.slice(at + 1)];
    onChange(tidy(next));
    goTo.current = at + 2;
    setQuery(null);
  };
  const insertLater = useRef(insert);
  useEffect(() => {
    insertLater.current = insert;
  });

  const type = (at: number, text: string) => {
    onChange(tidy(slots.map((s, n) => (n === at ? { text } : s))));
    const last = /(\S+)$/.exec(text)?.[1];
    setQuery(last && last.length > 1 ? last : null);
    setPicked(0);
  };

  const remove = (at: number) => {
    goTo.current = at - 1;
    onChange(tidy(slots.filter((_, n) => n !== at)));
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
      const choice = found[picked];
      if (choice) insert({ line: choice.line, value: choice.key }, query ?? "");
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

  return (
    <div ref={box} className="filled" onClick={(event) => event.target === box.current && inputs.current.get(slots.length - 1)?.focus()}>
      {slots.map((slot, at) =>
        slot.ref ? (
          <Token key={at} at={slot.ref} carried={carried} shown={shown} remove={() => remove(at)} follow={follow} />
        ) : (
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
            value={slot.text ?? ""}
            onChange={(event) => type(at, event.target.value)}
            onKeyDown={(event) => onKey(event, at)}
            onFocus={() => {
              setPlace(at);
              aim((ref) => insertLater.current(ref));
            }}
            onBlur={() => setTimeout(() => setQuery(null), 150)}
          />
        ),
      )}
      <Popper open={open} anchorEl={box.current} placement="bottom-start" sx={{ zIndex: 1300 }}>
        <ul className="drop" role="listbox" id={list} aria-label="Carried values">
          {found.map((c, n) => (
            <li
              key={`${c.line} ${c.key}`}
              role="option"
              aria-selected={n === picked}
              onMouseDown={(event) => {
                event.preventDefault();
                insert({ line: c.line, value: c.key }, query ?? "");
              }}
            >
              <b className="clip">{c.name.slice(1).join(" › ") || c.name[0]}</b>
              <span className="clip">{shown({ line: c.line, value: c.key }) || <i className="quiet">empty</i>}</span>
            </li>
          ))}
        </ul>
      </Popper>
    </div>
  );
}

interface TokenProps {
  at: Ref;
  carried: Carried[];
  shown: (ref: Ref) => string;
  remove: () => void;
  follow: (ref: Ref) => void;
}

/** A value in a box: shows what it is in the sample on hover, leads back to its line, and goes with Delete. */
function Token({ at, carried, shown, remove, follow }: TokenProps) {
  const known = carried.find((c) => sameRef({ line: c.line, value: c.key }, at));
  const name = known?.name ?? ["no longer carried"];
  return (
    <Tooltip title={known ? shown(at).slice(0, 200) || "empty in this sample" : "The lines above no longer carry this value"}>
      <button
        type="button"
        className={known ? "tok" : "tok gone"}
        aria-label={`${name.join(" › ")}: go to its line; Delete takes it away`}
        onClick={() => follow(at)}
        onKeyDown={(event) => {
          if (event.key === "Delete" || event.key === "Backspace") {
            event.preventDefault();
            event.stopPropagation();
            remove();
          }
        }}
      >
        {name.map((word, n) => (
          <span key={n}>
            {n > 0 && <em>›</em>}
            {word}
          </span>
        ))}
      </button>
    </Tooltip>
  );
}
