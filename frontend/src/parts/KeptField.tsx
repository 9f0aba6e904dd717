/**
 * A line that follows the plan. What is typed is a draft of the field's own: kept with Enter or when the field is left,
 * never half-typed; given up with Escape; and renewed when the plan comes to say something else.
 */
import Box from "@mui/material/Box";
import { useState } from "react";
import { MADDER } from "../theme";
import { Field, TextArea } from "./Fields";
import { Link } from "./parts";

/** What is wrong with a text, and whether it may be kept all the same. */
export interface Objection {
  says: string;
  may?: boolean;
}

interface Props {
  label: string;
  /** What it is called where its label stands beside it. */
  name?: string;
  /** As the plan has it. */
  value: string;
  type?: string;
  placeholder?: string;
  disabled?: boolean;
  check?: (text: string) => Objection | null;
  onKeep: (text: string) => void;
}

function useDraft({ value, check, onKeep }: Pick<Props, "value" | "check" | "onKeep">) {
  const [draft, setDraft] = useState<{ text: string; of: string } | null>(null);
  const [objection, setObjection] = useState<(Objection & { of: string }) | null>(null);
  // The plan says something else by now: what was typed was about what it said before.
  const open = draft?.of === value ? draft : null;
  const give = () => {
    setDraft(null);
    setObjection(null);
  };
  const take = (text: string) => {
    give();
    if (text !== value) onKeep(text);
  };
  /** Is there something against what is typed? It is said. */
  const objects = () => {
    const found = open && open.text !== value ? (check?.(open.text) ?? null) : null;
    if (found) setObjection({ ...found, of: value });
    return found !== null;
  };
  return {
    text: open?.text ?? value,
    objection: objection?.of === value && open ? objection : null,
    type: (text: string) => setDraft({ text, of: value }),
    keep: () => open && !objects() && take(open.text),
    objects,
    take: () => open && take(open.text),
    give,
  };
}

export function KeptField(props: Props) {
  const draft = useDraft(props);
  return (
    <Box
      sx={{ flex: 1, minWidth: 0 }}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        if (draft.text !== props.value) event.stopPropagation();
        draft.give();
      }}
    >
      <Field
        label={props.label}
        name={props.name}
        type={props.type}
        value={draft.text}
        placeholder={props.placeholder}
        disabled={props.disabled}
        onChange={draft.type}
        onLeave={draft.keep}
        staysOnEnter={draft.objects}
      />
      {draft.objection && (
        <Box role="alert" sx={{ color: MADDER, fontSize: "0.8125rem" }}>
          {draft.objection.says}{" "}
          {draft.objection.may && <Link onClick={draft.take}>take it all the same</Link>}
        </Box>
      )}
    </Box>
  );
}

/** The same for some lines. */
export function KeptText(props: Omit<Props, "type" | "name" | "check">) {
  const draft = useDraft(props);
  return (
    <TextArea
      small
      aria-label={props.label}
      value={draft.text}
      placeholder={props.placeholder}
      rows={3}
      onChange={(event) => draft.type(event.target.value)}
      onBlur={draft.keep}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        if (draft.text !== props.value) event.stopPropagation();
        draft.give();
      }}
    />
  );
}
