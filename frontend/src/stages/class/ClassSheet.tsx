/** Class's sheet: the method, the number of classes, and how well they fit. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import RadioGroup from "@mui/material/RadioGroup";
import type { View } from "../../api/client";
import { Choice, Notes, Question, Quiet } from "../../parts/parts";
import { mappedClasses, mappedName } from "../../plan/mapped";
import type { Classing } from "../../plan/types";
import type { Save } from "../../state/queries";
import { byMethod, METHODS } from "./methods";

export function ClassSheet({ view, save }: { view: View; save: Save }) {
  const { count, method } = mappedClasses(view.plan);
  const change = (by: number) =>
    save((plan) => {
      mappedClasses(plan).count += by;
    });
  return (
    <>
      <Question>Which areas belong together?</Question>
      <RadioGroup value={method} aria-label="Method">
        {(Object.keys(METHODS) as Classing["method"][]).map((m) => (
          <Choice
            key={m}
            value={m}
            label={METHODS[m]}
            onChoose={() =>
              save((plan) => {
                plan.class[mappedName(plan)] = byMethod(mappedClasses(plan), m);
              })
            }
          />
        ))}
      </RadioGroup>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mt: 1.5 }}>
        <span>Classes</span>
        <Button
          variant="outlined"
          size="small"
          aria-label="One class fewer"
          disabled={count <= 2}
          onClick={() => change(-1)}
        >
          −
        </Button>
        <Box
          component="output"
          aria-label="Number of classes"
          sx={{ fontSize: "1.3rem", minWidth: 20, textAlign: "center" }}
        >
          {count}
        </Box>
        <Button
          variant="outlined"
          size="small"
          aria-label="One class more"
          disabled={count >= 9}
          onClick={() => change(1)}
        >
          +
        </Button>
      </Box>
      {view.ledger.fit !== null && (
        <Quiet>
          The classes take up {Math.round(100 * view.ledger.fit)} % of the variation between areas.
        </Quiet>
      )}
      <Notes view={view} stage="class" />
    </>
  );
}
