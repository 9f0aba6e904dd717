/** Some places of records and of areas, drawn together: dots and squares. */
import type { Schemas } from "../api/client";
import { INK, MADDER, RULE } from "../theme";

type Props = Schemas["PlacesView"] & { width: number; height: number };

export function PlacesPicture({ records, areas, width, height }: Props) {
  const all = [...records, ...areas];
  const [west, east] = [Math.min(...all.map((p) => p[0])), Math.max(...all.map((p) => p[0]))];
  const [south, north] = [Math.min(...all.map((p) => p[1])), Math.max(...all.map((p) => p[1]))];
  const side = Math.max(east - west, north - south, 1e-6);
  const at = ([lon, lat]: readonly number[]) => [(100 * (lon - west)) / side, (100 * (north - lat)) / side];
  const [wide, high] = [(100 * (east - west)) / side, (100 * (north - south)) / side];
  // As large on the screen in every picture.
  const dot = (1.8 * Math.max(wide + 8, 1)) / width;
  return (
    <svg
      role="img"
      aria-label="Where its records lie, and where the areas"
      viewBox={`-4 -4 ${wide + 8} ${high + 8}`}
      style={{ width, height, border: `1px solid ${RULE}`, flexShrink: 0 }}
    >
      {areas.map((p) => {
        const [x, y] = at(p);
        return <rect key={`${p}`} x={x - dot} y={y - dot} width={2 * dot} height={2 * dot} fill={INK} />;
      })}
      {records.map((p) => {
        const [x, y] = at(p);
        return <circle key={`${p}`} cx={x} cy={y} r={1.1 * dot} fill={MADDER} />;
      })}
    </svg>
  );
}
