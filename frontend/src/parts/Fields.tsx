/** A line to type in and a list to choose from, as all of Gather's forms have them. */
import TextField from "@mui/material/TextField";
import { type ComponentProps, useEffect, useRef } from "react";
import { INK, MADDER } from "../theme";

export function Field(props: {
  label: string;
  /** What it is called where its label stands beside it. */
  name?: string;
  value: string;
  type?: string;
  placeholder?: string;
  disabled?: boolean;
  /** The keys go here once it is there. */
  focused?: boolean;
  onChange: (text: string) => void;
  /** The field is left, or Enter pressed, which leaves it unless it says that it stays. */
  onLeave?: () => void;
  staysOnEnter?: () => boolean;
}) {
  return (
    <TextField
      fullWidth
      size="small"
      margin="dense"
      label={props.label}
      disabled={props.disabled}
      autoFocus={props.focused}
      type={props.type}
      value={props.value}
      placeholder={props.placeholder}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { "aria-label": props.name } }}
      onChange={(event) => props.onChange(event.target.value)}
      onBlur={props.onLeave}
      onKeyDown={(event) => {
        if (props.onLeave && event.key === "Enter" && !props.staysOnEnter?.())
          (event.target as HTMLElement).blur();
      }}
    />
  );
}

/** Some lines to type in. */
export function TextArea({
  wrong,
  small,
  style,
  ...rest
}: ComponentProps<"textarea"> & { wrong?: boolean; small?: boolean }) {
  return (
    <textarea
      spellCheck={false}
      {...rest}
      style={{
        width: "100%",
        boxSizing: "border-box",
        font: "inherit",
        fontSize: small ? "0.8125rem" : undefined,
        color: INK,
        background: "transparent",
        border: `1px solid ${wrong ? MADDER : INK}`,
        padding: 8,
        resize: "vertical",
        ...style,
      }}
    />
  );
}

/** A list to choose from: of each choice its value and its words. What comes back is one of the values given. */
export function Pick<T extends string>(props: {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
}) {
  return (
    <TextField
      select
      fullWidth
      size="small"
      margin="dense"
      label={props.label}
      value={props.value}
      slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
      onChange={(event) => props.onChange(event.target.value as T)}
    >
      {/* What is chosen stands here whether or not it is among what is offered. */}
      {props.options.every(([value]) => value !== props.value) && (
        <option value={props.value}>{props.value}</option>
      )}
      {props.options.map(([value, text]) => (
        <option key={value} value={value}>
          {text}
        </option>
      ))}
    </TextField>
  );
}

/** Which sign stands before the decimals; `open` where it may stay undecided. */
export function DecimalSign(props: {
  value: "." | "," | "";
  open?: boolean;
  onChange: (sign: "." | "," | null) => void;
}) {
  return (
    <Pick<"." | "," | "">
      label="The decimal sign is the"
      value={props.value}
      options={[...(props.open ? ([["", "not decided"]] as const) : []), [".", "point"], [",", "comma"]]}
      onChange={(sign) => props.onChange(sign || null)}
    />
  );
}

/** A colour, told once it is chosen: not at every step of looking for one. */
export function ColourField(props: { label: string; value: string; onChange: (colour: string) => void }) {
  const ref = useRef<HTMLInputElement>(null);
  const told = useRef(props.onChange);
  told.current = props.onChange;
  useEffect(() => {
    const input = ref.current!;
    const tell = () => told.current(input.value.toLowerCase());
    input.addEventListener("change", tell);
    return () => input.removeEventListener("change", tell);
  }, []);
  return (
    <input
      ref={ref}
      type="color"
      aria-label={props.label}
      defaultValue={props.value}
      style={{ width: 34, height: 24, padding: 0 }}
    />
  );
}
