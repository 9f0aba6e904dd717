/** Class's sheet: the way of classing by the question that it answers, how many classes, and how well they fit. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import RadioGroup from "@mui/material/RadioGroup";
import type { Areas } from "../../api/bulk";
import type { View } from "../../api/client";
import { figure, percent } from "../../format";
import { termOf } from "../../outcome/terms";
import { Pick } from "../../parts/Fields";
import { KeptField } from "../../parts/KeptField";
import { Choice, Head, Line, Link, Notes, Question, Quiet } from "../../parts/parts";
import { mappedClasses, mappedMeasure, mappedName } from "../../plan/mapped";
import { byMethod, hasCount, METHODS, WAYS } from "../../plan/methods";
import type { Classing } from "../../plan/types";
import type { Save } from "../../state/queries";
import { useParts } from "../../state/store";
import { Lock, LockKinds } from "./Lock";

const MOST_CLASSES = 12;
const FEW_CAN_TELL = 9;
const MOST_KINDS = 12;

export function ClassSheet(props: { view: View; areas: Areas | null; save: Save; counting: boolean }) {
  const { view, areas, save } = props;
  const { unclassed, set } = useParts("unclassed", "set");
  const now = mappedClasses(view.plan);
  const inWords = mappedMeasure(view.plan).kind === "category";
  // Of words no more can be told apart than there are, whatever the plan allows.
  const kinds = view.bands.length + Math.max(view.ledger.others - 1, 0);
  const toldOf = (classing: Classing) => (inWords ? Math.min(classing.count, kinds) : classing.count);
  const told = toldOf(now);
  const counting = inWords && props.counting;
  const most = inWords ? Math.min(MOST_KINDS, kinds) : MOST_CLASSES;
  const put = (change: (classing: Classing) => Classing) =>
    save((plan) => {
      plan.class[mappedName(plan)] = change(mappedClasses(plan));
    });
  return (
    <>
      <Question>Which areas belong together?</Question>
      {!inWords && <Ways view={view} now={now} put={put} />}
      {(inWords || hasCount(now)) && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mt: 1.5 }}>
          <span>{inWords ? "Kinds told apart" : "Classes"}</span>
          <Button
            variant="outlined"
            size="small"
            aria-label={inWords ? "One kind fewer" : "One class fewer"}
            disabled={counting || told <= 2}
            onClick={() => put((c) => ({ ...c, count: toldOf(c) - 1 }))}
          >
            −
          </Button>
          <Box
            component="output"
            aria-label={inWords ? "Number of kinds" : "Number of classes"}
            sx={{ fontSize: "1.3rem", minWidth: 20, textAlign: "center" }}
          >
            {told}
          </Box>
          <Button
            variant="outlined"
            size="small"
            aria-label={inWords ? "One kind more" : "One class more"}
            disabled={counting || told >= most}
            onClick={() => put((c) => ({ ...c, count: toldOf(c) + 1 }))}
          >
            +
          </Button>
        </Box>
      )}
      {!inWords && view.bands.length > FEW_CAN_TELL && (
        <Quiet>Few readers can tell more than {FEW_CAN_TELL} classes apart.</Quiet>
      )}
      {!inWords && now.method !== "clear_difference" && (
        <FormControlLabel
          label="zero stands apart"
          control={
            <Checkbox
              size="small"
              checked={now.zero === "apart"}
              onChange={(_, apart) => put((c) => ({ ...c, zero: apart ? "apart" : "classed" }))}
            />
          }
        />
      )}
      {!inWords && (
        <>
          <Button
            size="small"
            variant="outlined"
            sx={{ display: "block", mt: 1 }}
            onClick={() => set({ comparing: true, sheet: null })}
          >
            Compare ways of classing
          </Button>
          <Box sx={{ mt: 0.5 }}>
            <Link onClick={() => set({ unclassed: !unclassed })}>
              {unclassed ? "back to the classes" : "look at the figures unclassed"}
            </Link>
          </Box>
        </>
      )}
      <HowGood view={view} />
      {inWords && <LockKinds view={view} save={save} />}
      {!inWords && now.method !== "clear_difference" && <Lock view={view} areas={areas} save={save} />}
      <Notes view={view} stage="class" />
    </>
  );
}

/** How much the classes take up, how evenly they share what is mapped, and how far apart values of one class lie. */
function HowGood({ view }: { view: View }) {
  const { fit, evenness, widest, widest_class } = view.ledger;
  if (fit === null || !view.bands.length) return null;
  const under = termOf(view, "under")?.noun;
  const lines: [string, string][] = [["variation between areas taken up", percent(fit)]];
  if (evenness.areas !== null) lines.push(["evenness of areas", percent(evenness.areas)]);
  if (evenness.under !== null && under) lines.push([`evenness of ${under}`, percent(evenness.under)]);
  if (evenness.ground !== null) lines.push(["evenness of ground", percent(evenness.ground)]);
  if (widest !== null && widest_class !== null) {
    const says = view.scale_says && ` ${view.scale_says}`;
    lines.push([`widest: ${view.bands[widest_class - 1].text}`, `${figure(widest / view.scale)}${says}`]);
  }
  return (
    <Box sx={{ mt: 1 }} data-testid="quality">
      <Head>How good are they?</Head>
      {lines.map(([says, n]) => (
        <Line key={says} count={n}>
          {says}
        </Line>
      ))}
    </Box>
  );
}

interface WaysProps {
  view: View;
  now: Classing;
  put: (change: (classing: Classing) => Classing) => void;
}

/** The ways, and under the chosen one what else it asks. */
function Ways({ view, now, put }: WaysProps) {
  const at = WAYS.findIndex((w) => w.methods.some((m) => m === now.method));
  const methods = WAYS[at]?.methods ?? [];
  const breaks = view.ledger.breaks;
  return (
    <>
      <RadioGroup value={String(at)} aria-label="Method">
        {WAYS.map((way, i) => (
          <Choice
            key={way.says}
            value={String(i)}
            label={way.says}
            term={way.term}
            onChoose={() => put((c) => byMethod(c, way.methods[0], breaks))}
          />
        ))}
      </RadioGroup>
      {methods.length > 1 && now.method !== "locked" && (
        <Pick
          label="How"
          value={now.method}
          options={methods.map((m) => [m, METHODS[m]] as const)}
          onChange={(method) => put((c) => byMethod(c, method, breaks))}
        />
      )}
      {(now.method === "quantile" || now.method === "natural_breaks") && (
        <Pick
          label="Each area counts"
          value={now.by}
          options={[
            ["areas", "the same"] as const,
            ...(termOf(view, "under")
              ? [["under", `by its ${termOf(view, "under")!.noun}`] as const]
              : now.by === "under"
                ? [["under", "by what it is divided by"] as const]
                : []),
            ["ground", "by its ground"] as const,
          ]}
          onChange={(by) => put((c) => (c.method === now.method ? { ...c, by } : c))}
        />
      )}
      {now.method === "standard_deviations" && (
        <Pick
          label="Each class is wide"
          value={now.half ? "half" : "whole"}
          options={[
            ["whole", "one standard deviation"],
            ["half", "half a standard deviation"],
          ]}
          onChange={(wide) => put((c) => (c.method === now.method ? { ...c, half: wide === "half" } : c))}
        />
      )}
      {now.method === "every" && <Every now={now} put={put} />}
      {now.method === "by_hand" && (
        <Quiet>
          Take hold of a line on the rail, type over its figure, or click between the dots for another.
        </Quiet>
      )}
    </>
  );
}

function Every({ now, put }: { now: Extract<Classing, { method: "every" }>; put: WaysProps["put"] }) {
  const keep = (part: { width: number } | { start: number }) =>
    put((c) => (c.method === "every" ? { ...c, ...part } : c));
  const wide = (text: string) =>
    Number(text) > 0 && Number.isFinite(Number(text)) ? null : { says: "Give a number above zero." };
  const begins = (text: string) =>
    text.trim() && Number.isFinite(Number(text)) ? null : { says: "Give a number." };
  return (
    <Box sx={{ display: "flex", gap: 1 }}>
      <KeptField
        label="Every"
        value={String(now.width)}
        check={wide}
        onKeep={(text) => keep({ width: Number(text) })}
      />
      <KeptField
        label="From"
        value={String(now.start)}
        check={begins}
        onKeep={(text) => keep({ start: Number(text) })}
      />
    </Box>
  );
}
