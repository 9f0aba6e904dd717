/** A figure to type: kept when the field is left, and where it is none, or beyond its bounds, said and not kept. */
import { termFigure } from "../outcome/terms";
import { within } from "../plan/sure";
import { KeptField } from "./KeptField";

export function NumberField(props: {
  label: string;
  /** What it is called where its label stands beside it. */
  name?: string;
  value: number;
  least: number;
  most: number;
  whole?: boolean;
  disabled?: boolean;
  onKeep: (value: number) => void;
}) {
  const { value, least, most, whole, onKeep, ...field } = props;
  const check = (text: string) => {
    const found = within(text, least, most);
    if (found !== null && !(whole && !Number.isInteger(found))) return null;
    const what = whole ? "a whole number" : "a number";
    return { says: `Give ${what} from ${termFigure(least)} to ${termFigure(most)}.` };
  };
  const keep = (text: string) => {
    const found = within(text, least, most);
    if (found !== null && found !== value) onKeep(found);
  };
  return <KeptField {...field} value={String(value)} check={check} onKeep={keep} />;
}
