/** A page as a file, or all pages of a series. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Study } from "../api/client";
import { Pick } from "../parts/Fields";
import { WorkBar } from "../parts/WorkBar";
import type { FigureView } from "../state/figures";
import { useWork } from "../state/work";

const DOTS = [150, 300, 600] as const;
const FORMATS = ["pdf", "svg", "png"] as const;

export function TakePage({ study, figure }: { study: Study; figure: FigureView }) {
  const [dpi, setDpi] = useState<string>("300");
  const work = useWork();
  const dots = (format: string) => (format === "png" ? Number(dpi) : 300);
  const address = (format: string) =>
    `/api/studies/${study.id}/figures/${figure.id}/file?format=${format}&dpi=${dots(format)}`;
  const draw = (format: string, together: boolean) =>
    work.start(`/api/studies/${study.id}/series`, {
      figure_id: figure.id,
      format,
      together,
      dpi: dots(format),
    });
  return (
    <>
      <Box sx={{ display: "flex", gap: 0.75, alignItems: "center", flexWrap: "wrap" }}>
        {figure.document.series ? (
          <>
            <Button size="small" variant="outlined" disabled={work.busy} onClick={() => draw("pdf", true)}>
              One PDF
            </Button>
            {FORMATS.map((format) => (
              <Button
                key={format}
                size="small"
                variant="outlined"
                disabled={work.busy}
                onClick={() => draw(format, false)}
              >
                {format.toUpperCase()}s
              </Button>
            ))}
          </>
        ) : (
          FORMATS.map((format) => (
            <Button key={format} size="small" variant="outlined" href={address(format)} download>
              {format.toUpperCase()}
            </Button>
          ))
        )}
        <Box sx={{ flexGrow: 1, minWidth: 96 }}>
          <Pick
            label="dots an inch"
            value={dpi}
            options={DOTS.map((n) => [String(n), String(n)] as const)}
            onChange={setDpi}
          />
        </Box>
      </Box>
      <WorkBar work={work} />
    </>
  );
}
