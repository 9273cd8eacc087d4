import { Popper } from "@mui/material";
import { useEffect, useRef } from "react";
import { useLine } from "./lineContext";
import type { Offer } from "./offers";

interface Props {
  id: string;
  open: boolean;
  anchor: HTMLElement | null;
  offers: Offer[];
  picked: number;
  onTake: (offer: Offer) => void;
}

/** The list under a box: what can be put into it, with its value in the chosen sample. */
export function OfferList({ id, open, anchor, offers, picked, onTake }: Props) {
  const { shown } = useLine();
  const here = useRef<HTMLLIElement>(null);
  useEffect(() => here.current?.scrollIntoView({ block: "nearest" }), [picked]);
  const gives = ({ value, part }: Offer) => {
    if (!value) return <i className="quiet">a choice of this field</i>;
    const text = shown({ line: value.line, value: value.key });
    if (!text) return <i className="quiet">empty</i>;
    const [day, clock] = text.split(", ");
    return part === "time" ? (clock ?? text) : part === "date" ? day : text;
  };
  return (
    <Popper open={open} anchorEl={anchor} placement="bottom-start" className="over">
      <ul className="drop" role="listbox" id={id} aria-label="Carried values">
        {offers.map((offer, n) => (
          <li
            key={offer.key}
            ref={n === picked ? here : undefined}
            role="option"
            aria-selected={n === picked}
            onMouseDown={(event) => {
              event.preventDefault();
              onTake(offer);
            }}
          >
            <b className="clip">{offer.words}</b>
            <span className="clip">{gives(offer)}</span>
          </li>
        ))}
      </ul>
    </Popper>
  );
}
