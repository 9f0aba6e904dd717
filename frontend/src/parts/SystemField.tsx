/** Choosing a coordinate system, among candidates or by searching. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import { useEffect, useState } from "react";
import { getJson, type Schemas } from "../api/client";
import { MADDER, QUIET, RULE } from "../theme";
import { Field } from "./Fields";
import { PlacesPicture } from "./PlacesPicture";
import { Quiet } from "./parts";

/** A system by its code or words of its name; those in which the points land in the zones stand first. */
export function SystemField(props: {
  label: string;
  value: string | null;
  near: readonly Schemas["SystemView"][];
  /** It is asked for: the keys go there. */
  focused?: boolean;
  onChange: (code: string) => void;
}) {
  const [words, setWords] = useState("");
  const [found, setFound] = useState<readonly Schemas["SystemView"][]>([]);
  const [none, setNone] = useState("");
  useEffect(() => {
    setNone("");
    if (words.trim().length < 2) return setFound([]);
    const timer = setTimeout(() => {
      getJson<Schemas["SystemList"]>(`/api/systems?words=${encodeURIComponent(words)}`)
        .then(({ systems }) => {
          setFound(systems.slice(0, 12));
          if (!systems.length)
            setNone(
              `No coordinate system is called “${words.trim()}”. Try its number, or a part of its name.`,
            );
        })
        .catch((error: Error) => {
          setFound([]);
          setNone(error.message);
        });
    }, 200);
    return () => clearTimeout(timer);
  }, [words]);
  const [changing, setChanging] = useState(props.value === null || props.near.length > 0);
  const offered = words.trim().length < 2 ? props.near : found;
  if (!changing) {
    return (
      <Quiet>
        {props.label}: {named(props.value!)}{" "}
        <ButtonBase
          onClick={() => setChanging(true)}
          sx={{ font: "inherit", textDecoration: "underline", textUnderlineOffset: 3 }}
        >
          choose another
        </ButtonBase>
      </Quiet>
    );
  }
  return (
    <Box sx={{ mt: 1 }}>
      <Field
        label={props.label}
        value={words}
        placeholder="a code or words of its name"
        focused={props.focused}
        onChange={setWords}
      />
      {none && (
        <Box role="alert" sx={{ color: MADDER, fontSize: "0.8125rem" }}>
          {none}
        </Box>
      )}
      {props.value && <Quiet>Now: {named(props.value)}</Quiet>}
      {offered.length > 0 && (
        <Box sx={{ border: `1px solid ${RULE}`, borderTop: 0, maxHeight: 240, overflowY: "auto" }}>
          {offered.map((s) => (
            <Button
              key={s.code}
              size="small"
              fullWidth
              aria-pressed={s.code === props.value}
              sx={{
                justifyContent: "space-between",
                textAlign: "left",
                fontWeight: s.code === props.value ? 700 : 400,
              }}
              onClick={() => {
                props.onChange(s.code);
                setWords("");
              }}
            >
              {s.places && <PlacesPicture {...s.places} width={72} height={48} />}
              <span style={{ flexGrow: 1, marginInline: 8 }}>
                {s.name} <span style={{ color: QUIET }}>{s.code}</span>
              </span>
              {s.inside >= 0 && <span>{Math.round(100 * s.inside)} % land in the zones</span>}
            </Button>
          ))}
        </Box>
      )}
    </Box>
  );
}

function named(code: string): string {
  return code === "EPSG:4326" ? "degrees of longitude and latitude (EPSG:4326)" : code.slice(0, 60);
}
