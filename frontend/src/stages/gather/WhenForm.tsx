/** When the records were: which column says so, and how it is written. */
import Box from "@mui/material/Box";
import type { Look } from "../../api/client";
import { Field, Pick } from "../../parts/Fields";
import { Quiet, Unfold } from "../../parts/parts";
import { type Choices, ORDERS, type Order, type Time } from "../../plan/choices";

export function WhenForm(props: { look: Look; choices: Choices; set: (change: Partial<Choices>) => void }) {
  const { look, choices, set } = props;
  const time = choices.time;
  const put = (part: Partial<Time>) => set({ time: { ...time!, ...part } });
  const columns = look.columns.map((c) => [c.name, c.name] as const);
  const evidence = look.times.find((t) => t.column === time?.column)?.evidence;
  const change = (column: string) => {
    const found = look.times.find((t) => t.column === column);
    if (!column) set({ time: null });
    else
      set({
        time: {
          column,
          order: found ? (found.order as Time["order"]) : "year-first",
          clock: found?.clock ?? null,
          until: found?.until ?? null,
          take: "from",
          zone: time?.zone ?? null,
          born: time?.born ?? null,
        },
      });
  };
  return (
    <>
      <Pick
        label="When it was"
        value={time?.column ?? ""}
        options={[["", "not known"], ...columns]}
        onChange={change}
      />
      {time && (
        <>
          <Pick<Order | "">
            label="The date is written"
            value={time.order ?? ""}
            options={time.order ? ORDERS : [["", "day or month first?"], ...ORDERS]}
            onChange={(order) => put({ order: order || null })}
          />
          {evidence && <Quiet>{sentence(evidence)}</Quiet>}
          <Unfold title="More of the time" open={Boolean(time.clock || time.until || time.born)}>
            <Box sx={{ display: "flex", gap: 1 }}>
              <Pick
                label="Time of day in"
                value={time.clock ?? ""}
                options={[["", "the same column"], ...columns]}
                onChange={(clock) => put({ clock: clock || null })}
              />
              <Pick
                label="Until"
                value={time.until ?? ""}
                options={[["", "a moment, no span"], ...columns]}
                onChange={(until) => put({ until: until || null })}
              />
            </Box>
            {time.until && (
              <Pick
                label="Of the span we take"
                value={time.take}
                options={[
                  ["from", "its beginning"],
                  ["middle", "its middle"],
                  ["until", "its end"],
                ]}
                onChange={(take) => put({ take: take as Time["take"] })}
              />
            )}
            <Box sx={{ display: "flex", gap: 1 }}>
              <Pick
                label="Date of birth in"
                value={time.born?.column ?? ""}
                options={[["", "no column"], ...columns]}
                onChange={(column) =>
                  put({
                    born: column ? { column, order: orderOf(look, column) } : null,
                  })
                }
              />
              {time.born && (
                <Pick<Order | "">
                  label="written"
                  value={time.born.order ?? ""}
                  options={time.born.order ? ORDERS : [["", "day or month first?"], ...ORDERS]}
                  onChange={(order) => put({ born: { ...time.born!, order: order || null } })}
                />
              )}
            </Box>
            {time.born && <Quiet>Ages in completed years stand in a column “age at event”.</Quiet>}
            <Field
              label="Time zone of the study, for stamps with an offset"
              value={time.zone ?? ""}
              placeholder="Atlantic/Azores"
              onChange={(zone) => put({ zone: zone.trim() || null })}
            />
          </Unfold>
        </>
      )}
    </>
  );
}

function orderOf(look: Look, column: string): Time["order"] {
  const found = look.times.find((t) => t.column === column);
  return found ? (found.order as Time["order"]) : "year-first";
}

function sentence(text: string): string {
  return `${text[0].toUpperCase()}${text.slice(1)}.`;
}
