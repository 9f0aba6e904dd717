/** Where the rail's texts stand, so that none lies on another. */

/** Move labels apart, up or down as little as needed, within 0 .. length; `wanted` must be in increasing order. */
export function spread(wanted: number[], gap: number, length: number): number[] {
  const at = [...wanted];
  for (let i = 1; i < at.length; i++) at[i] = Math.max(at[i], at[i - 1] + gap);
  let limit = length;
  for (let i = at.length - 1; i >= 0; i--) {
    at[i] = Math.min(at[i], limit);
    limit = at[i] - gap;
  }
  return at;
}

export interface Room {
  /** From the top to where the highest value stands, and from there to the lowest. */
  top: number;
  length: number;
  /** Down to which the texts of bands may be moved. */
  height: number;
  band: number;
  breakText: number;
}

/** Where the middles of texts stand below the top: of bands at their middles, of breaks at theirs; lowest first.
 *
 * `places` are those of all breaks along the axis, 0 (lowest) .. 1 (highest).
 */
export function textsAt(places: readonly number[], room: Room): { bands: number[]; breaks: number[] } {
  const y = (place: number) => room.top + room.length * (1 - place);
  // Texts are moved apart where bands are thin: from the top down.
  const apart = (wanted: number[], gap: number, limit: number) =>
    spread([...wanted].reverse(), gap, limit).reverse();
  return {
    bands: apart(
      places.slice(1).map((p, i) => y((places[i] + p) / 2)),
      room.band,
      room.height - room.band / 2,
    ),
    breaks: apart(places.slice(1, -1).map(y), room.breakText, room.top + room.length),
  };
}
