/** What a source of zones is like: counts by kind, the findings of one kind, and a picture of one. */

import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { useState } from "react";
import type { Schemas, Study } from "../../api/client";
import { whole } from "../../format";
import { Answer } from "../../parts/Answer";
import { Head, Line, Link, Quiet } from "../../parts/parts";
import { usePicture, useSurvey } from "../../state/queries";
import { INK, MADDER, QUIET, RULE } from "../../theme";

const KINDS: Record<string, string> = {
  invalid: "invalid shapes, repaired",
  empty: "without any area",
  tiny: "tiny",
  overlap: "overlaps",
  gap: "narrow gaps between neighbours",
  parts: "in several parts",
  holes: "with holes",
};
const FIRST = 12;

export function Survey(props: {
  study: Study;
  source: string;
  identifier: string | null;
  name: string | null;
}) {
  const { survey, picture } = useSurvey(props.study, props.source, props.identifier, props.name);
  return (
    <Answer of={survey} awaited="Looking through the zones…">
      {(found) => <Surveyed found={found} picture={picture} />}
    </Answer>
  );
}

function Surveyed({ found, picture }: { found: Schemas["SurveyView"]; picture: (at: number) => string }) {
  const [kind, setKind] = useState<string | null>(null);
  const [seen, setSeen] = useState<Schemas["FindingView"] | null>(null);
  const [all, setAll] = useState(false);
  const listed = found.findings.filter((f) => f.kind === kind);
  const repeated = Object.entries(found.repeated as Record<string, number>);
  return (
    <Box data-testid="survey">
      <Head>What the file is like</Head>
      <Line count={found.zones}>zones</Line>
      {found.closed > 0 && <Line count={found.closed}>with a ring that was not closed</Line>}
      {repeated.length > 0 && (
        <Quiet colour={MADDER}>
          The identifier repeats{" "}
          {repeated
            .slice(0, 5)
            .map(([i, n]) => `${i ? `“${i}”` : "nothing"} (${whole(n)} times)`)
            .join(", ")}
          . Choose another column, or number the zones.
        </Quiet>
      )}
      {found.regular && <Quiet>{found.regular}</Quiet>}
      {found.kinds.map((k) => (
        <ButtonBase
          key={k.kind}
          aria-expanded={kind === k.kind}
          onClick={() => {
            setKind(kind === k.kind ? null : k.kind);
            setSeen(null);
            setAll(false);
          }}
          sx={{
            display: "block",
            width: "100%",
            font: "inherit",
            textAlign: "left",
            "&:hover": { bgcolor: "#EFE9DB" },
          }}
        >
          <Line count={k.findings}>
            <span style={{ textDecoration: "underline", textUnderlineOffset: 3, textDecorationColor: RULE }}>
              {KINDS[k.kind]}
            </span>
          </Line>
        </ButtonBase>
      ))}
      {found.kinds.length === 0 && <Quiet>Nothing to repair, no overlaps, no gaps.</Quiet>}
      {kind && (
        <Box sx={{ borderTop: `1px solid ${RULE}`, mt: 0.5, fontSize: "0.8125rem" }}>
          {(all ? listed : listed.slice(0, FIRST)).map((f) => (
            <ButtonBase
              key={f.at}
              aria-pressed={seen?.at === f.at}
              onClick={() => setSeen(seen?.at === f.at ? null : f)}
              sx={{
                display: "block",
                width: "100%",
                font: "inherit",
                fontSize: "0.8125rem",
                textAlign: "left",
                py: 0.25,
                bgcolor: seen?.at === f.at ? "#EFE9DB" : undefined,
              }}
            >
              {f.kind === "overlap" || f.kind === "gap" ? f.says : `${f.zones[0]}: ${f.says}`}
            </ButtonBase>
          ))}
          {!all && listed.length > FIRST && (
            <Link onClick={() => setAll(true)}>{whole(listed.length - FIRST)} more</Link>
          )}
          {seen && seen.kind !== "empty" && <Picture path={picture(seen.at)} finding={seen} />}
        </Box>
      )}
    </Box>
  );
}

const INKS: Record<string, { stroke: string; fill: string; width: number; dash?: string }> = {
  before: { stroke: MADDER, fill: "none", width: 1.5 },
  after: { stroke: INK, fill: "#D9D2C0", width: 1 },
  zone: { stroke: INK, fill: "#E6DFCE", width: 1 },
  other: { stroke: INK, fill: "#D3DCD8", width: 1 },
  shared: { stroke: MADDER, fill: "rgba(168,50,45,0.45)", width: 1 },
  gap: { stroke: MADDER, fill: "none", width: 2.5 },
};
const SIDE = 134;

function Picture({ path, finding }: { path: string; finding: Schemas["FindingView"] }) {
  return (
    <Answer of={usePicture(path)} awaited="Drawing it…">
      {(drawn) => <Drawn drawn={drawn} finding={finding} />}
    </Answer>
  );
}

function Drawn({ drawn, finding }: { drawn: Schemas["PictureView"]; finding: Schemas["FindingView"] }) {
  if (finding.kind !== "invalid")
    return (
      <Frame drawn={drawn} roles={["zone", "other", "shared", "gap"]} side={2 * SIDE} says={finding.says} />
    );
  return (
    <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
      {(["before", "after"] as const).map((role) => (
        <Box key={role} component="figure" sx={{ m: 0 }}>
          <Frame drawn={drawn} roles={[role]} side={SIDE} says={`${finding.zones[0]} ${role}`} />
          <Box component="figcaption" sx={{ color: QUIET }}>
            {role === "before" ? "as in the file" : "repaired"}
          </Box>
        </Box>
      ))}
    </Box>
  );
}

function Frame(props: { drawn: Schemas["PictureView"]; roles: string[]; side: number; says: string }) {
  const { drawn, roles, side } = props;
  const { reach } = drawn;
  const at = (v: number) => ((v + reach) / (2 * reach)) * side;
  const path = (role: string) =>
    drawn.lines
      .filter((line) => line.role === role)
      .map(
        (line) =>
          `M${line.points.map(([x, y]) => `${at(x as number).toFixed(1)} ${(side - at(y as number)).toFixed(1)}`).join("L")}${line.closed ? "Z" : ""}`,
      )
      .join("");
  return (
    <svg
      width={side}
      height={side}
      role="img"
      aria-label={props.says}
      style={{ border: `1px solid ${RULE}`, background: "white", display: "block", marginTop: 4 }}
    >
      {roles.map((role) => (
        <path
          key={role}
          d={path(role)}
          fillRule="evenodd"
          fill={INKS[role].fill}
          stroke={INKS[role].stroke}
          strokeWidth={INKS[role].width}
        />
      ))}
      {roles.includes("before") &&
        drawn.marks.map(([x, y]) => (
          <circle
            key={`${x} ${y}`}
            cx={at(x as number)}
            cy={side - at(y as number)}
            r={6}
            fill="none"
            stroke={INK}
            strokeWidth={1.5}
          />
        ))}
    </svg>
  );
}
