/** How sure is it? Intervals, what is marked as unreliable, small numbers drawn towards others, and the funnel. */
import Box from "@mui/material/Box";
import RadioGroup from "@mui/material/RadioGroup";
import { levelText, plural } from "../../../format";
import { Pick } from "../../../parts/Fields";
import { NumberField } from "../../../parts/NumberField";
import { Choice, Head, Quiet, Unfold } from "../../../parts/parts";
import { Ticked } from "../../../parts/Ticked";
import { approximation, canBeDrawn, isDrawnAnew, marked, surely } from "../../../plan/sure";
import { Fold, type FoldProps, Refusal } from "./Fold";
import { FunnelChart } from "./FunnelChart";
import { NeighboursForm } from "./NeighboursForm";

const LEVELS = [0.9, 0.95, 0.99, 0.998];
const A_FEW = 10;
const A_WIDE_ERROR = 0.3;

export function HowSure(props: FoldProps) {
  const { view, areas, now } = props;
  const dotted = areas ? areas.unreliable.reduce((n, flag) => n + (flag ? 1 : 0), 0) : 0;
  const drawn = {
    all: "Each figure is drawn towards that of all areas",
    neighbours: "Each figure is drawn towards its neighbours’",
  };
  const first = now.smoothed ? `${drawn[now.smoothed]}; ` : "";
  const says = `${first}${first ? "" : "Areas whose figure may be chance are dotted: "}${plural(dotted, "area")}${first ? " dotted" : ""}.`;
  return (
    <Fold title="How sure is it?" says={says}>
      <Refusal {...props} part={["sure", "smoothed"]} />
      <Interval {...props} />
      <Marks {...props} />
      <Small {...props} />
      {canBeDrawn(now.numerator, now.denominator) && (
        <Unfold title="The funnel">
          <FunnelChart view={view} areas={areas} />
        </Unfold>
      )}
    </Fold>
  );
}

function Interval({ view, now, onChange }: FoldProps) {
  const rough = approximation(now);
  const levels = LEVELS.includes(now.sure.level) ? LEVELS : [...LEVELS, now.sure.level];
  if (view.total_interval === null)
    return <Quiet>Nobody knows what chance has made of these figures: they have no intervals.</Quiet>;
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Pick
          label="Intervals at"
          value={String(now.sure.level)}
          options={levels.map((level) => [String(level), levelText(level)] as const)}
          onChange={(level) => onChange(surely(now, { level: Number(level) }))}
        />
        {rough && (
          <Pick
            label="Made"
            value={now.sure.how}
            options={[
              ["exact", "exactly"],
              ["approximate", `by ${rough === "Wilson’s" ? "Wilson’s approximation" : rough}`],
            ]}
            onChange={(how) => onChange(surely(now, { how }))}
          />
        )}
      </Box>
      {isDrawnAnew(now) && (
        <Box sx={{ display: "flex", gap: 1 }}>
          <NumberField
            label="Numbers drawn anew, times"
            value={now.sure.draws}
            least={200}
            most={10_000}
            whole
            onKeep={(draws) => onChange(surely(now, { draws }))}
          />
          <NumberField
            label="Begun with"
            value={now.sure.seed}
            least={0}
            most={1_000_000_000}
            whole
            onKeep={(seed) => onChange(surely(now, { seed }))}
          />
        </Box>
      )}
    </>
  );
}

function Marks({ now, onChange }: FoldProps) {
  const { marks } = now.sure;
  return (
    <>
      <Head>Marked as unreliable</Head>
      <Mark
        label="fewer events than"
        on={marks.fewer_than > 0}
        value={marks.fewer_than || A_FEW}
        most={10_000}
        onChange={(n) => onChange(marked(now, { fewer_than: n ?? 0 }))}
      />
      <Mark
        label="standard error over, % of the figure"
        on={marks.relative_error !== null}
        value={Number((100 * (marks.relative_error ?? A_WIDE_ERROR)).toFixed(4))}
        most={1000}
        onChange={(n) => onChange(marked(now, { relative_error: n === null ? null : n / 100 }))}
      />
      <Ticked
        label="zero, where chance may hide more than all areas have"
        on={marks.zero}
        onChange={(zero) => onChange(marked(now, { zero }))}
      />
    </>
  );
}

function Mark(props: {
  label: string;
  on: boolean;
  value: number;
  most: number;
  onChange: (n: number | null) => void;
}) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
      <Box sx={{ flex: 1 }}>
        <Ticked
          label={props.label}
          on={props.on}
          onChange={(on) => props.onChange(on ? props.value : null)}
        />
      </Box>
      {props.on && (
        <Box sx={{ width: "6.5em", flexShrink: 0, display: "flex" }}>
          <NumberField
            label=""
            name={props.label}
            value={props.value}
            least={1}
            most={props.most}
            whole
            onKeep={props.onChange}
          />
        </Box>
      )}
    </Box>
  );
}

function Small(props: FoldProps) {
  const { now, onChange } = props;
  if (!canBeDrawn(now.numerator, now.denominator))
    return <Quiet>Only rates and shares of events can be drawn towards others.</Quiet>;
  const direct = now.comparable?.kind === "direct";
  return (
    <>
      <Head>Figures of few events are drawn</Head>
      <RadioGroup value={now.smoothed ?? "none"} aria-label="Figures of few events">
        <Choice
          value="none"
          label="nowhere: as it was counted"
          onChoose={() => onChange({ ...now, smoothed: null })}
        />
        <Choice
          value="all"
          label="towards that of all areas"
          term="empirical Bayes smoothing"
          disabled={direct}
          onChoose={() => onChange({ ...now, smoothed: "all" })}
        />
        <Choice
          value="neighbours"
          label="towards its neighbours’"
          term="local empirical Bayes smoothing"
          disabled={direct}
          onChoose={() => onChange({ ...now, smoothed: "neighbours" })}
        />
      </RadioGroup>
      {direct && (
        <Quiet>
          Directly standardised rates are not drawn: set events against those expected, under “Made
          comparable”.
        </Quiet>
      )}
      {now.smoothed === "neighbours" && <NeighboursForm {...props} />}
      {now.smoothed && (
        <Quiet>By empirical Bayes (Marshall 1991). All areas together keep their figure.</Quiet>
      )}
    </>
  );
}
