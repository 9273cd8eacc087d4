import { useMemo } from "react";
import { useTypeOf } from "../../api/queries";
import { useLine } from "./lineContext";
import { carriedName } from "./carried";
import type { Carried } from "./model";

/** What can be put into a box: a choice of its field, a carried value, or the day or time of day of one. */
export interface Offer {
  key: string;
  words: string;
  choice?: string;
  value?: Carried;
  part?: "date" | "time";
}

const MAX_OFFERS = 60;

/** What fits the words that are typed, by name and by content; all of it for none. `query` null: nothing is asked for. */
export function useOffers(query: string | null, choices: string[] | undefined): Offer[] {
  const { carried, shown } = useLine();
  const typeOf = useTypeOf();
  return useMemo(() => {
    if (query === null) return [];
    const words = query.toLowerCase().trim();
    const named: Offer[] = (choices ?? []).map((choice) => ({ key: `choice ${choice}`, words: choice, choice }));
    const values = carried.flatMap((value): Offer[] => {
      const key = `${value.line} ${value.key}`;
      const whole: Offer = { key, words: carriedName(value, carried), value };
      if (!typeOf(value.type)?.has_clock) return [whole];
      return [
        whole,
        ...(["date", "time"] as const).map((part): Offer => ({ key: `${key} ${part}`, words: `${whole.words} › ${part}`, value, part })),
      ];
    });
    const fits = (offer: Offer) =>
      !words ||
      `${offer.words} ${offer.value && !offer.part ? `${offer.value.name.join(" ")} ${shown({ line: offer.value.line, value: offer.value.key })}` : ""}`
        .toLowerCase()
        .includes(words);
    return [...named, ...values].filter(fits).slice(0, MAX_OFFERS);
  }, [query, carried, shown, choices, typeOf]);
}
