/** A figure to type: kept when the field is left, and where it is none, or beyond its bounds, said and not kept. */
import Box from "@mui/material/Box";
import { useEffect, useState } from "react";
import { termFigure } from "../outcome/terms";
import { within } from "../plan/sure";
import { MADDER } from "../theme";
import { Field } from "./Fields";

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
  const { value, least, most } = props;
  const [text, setText] = useState(String(value));
  const [wrong, setWrong] = useState("");
  useEffect(() => setText(String(value)), [value]);
  const keep = () => {
    const found = within(text, least, most);
    if (found === null || (props.whole && !Number.isInteger(found))) {
      setWrong(
        `Give ${props.whole ? "a whole number" : "a number"} from ${termFigure(least)} to ${termFigure(most)}.`,
      );
      return;
    }
    setWrong("");
    if (found !== value) props.onKeep(found);
  };
  return (
    <Box sx={{ flex: 1, minWidth: 0 }}>
      <Field
        label={props.label}
        name={props.name}
        value={text}
        disabled={props.disabled}
        onChange={setText}
        onLeave={keep}
      />
      {wrong && (
        <Box role="alert" sx={{ color: MADDER, fontSize: "0.8125rem" }}>
          {wrong}
        </Box>
      )}
    </Box>
  );
}
