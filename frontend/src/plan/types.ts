/** The plan as the server writes it out: every choice is there. What the page makes of it, the server completes. */
import type { components } from "../api/schema";

type Schemas = components["schemas"];

/** The same with nothing left out, all the way down. */
type Written<T> = T extends string | number | boolean | null
  ? T
  : { [K in keyof T]-?: Written<Exclude<T[K], undefined>> };

export type Plan = Written<Schemas["Plan"]>;
export type WorkingProjection = Plan["place"]["projection"];
export type Events = Plan["gather"]["events"][string];
export type Coordinates = Events["coordinates"];
export type RecordedWindow = Events["recorded"][number];
export type RecordedWhere = NonNullable<RecordedWindow["where"]>;
export type LookUp = NonNullable<Events["look_up"]>;
export type Condition = Events["where"][number];
export type Place = Plan["place"];
export type AreasPlan = Place["areas"];
export type Zones = Extract<AreasPlan, { kind: "zones" }>;
export type Grid = Extract<AreasPlan, { kind: "grid" }>;
export type Outline = Place["exclude"]["inside"][number];
export type Measure = Plan["measure"][string];
export type Quotient = Extract<Measure, { kind: "quotient" }>;
export type Category = Extract<Measure, { kind: "category" }>;
/** A term that says a word of each area. */
export type InWords = Category["of"];
export type OfText = Extract<InWords, { kind: "text" }>;
export type Numerator = Quotient["numerator"];
export type Denominator = NonNullable<Quotient["denominator"]>;
export type Term = Numerator | Denominator;
export type FromTable = Extract<Term, { kind: "table" }>;
export type Classing = Plan["class"][string];
export type Colours = Plan["show"]["colours"][string];
export type Inset = Plan["show"]["insets"][number];
export type Layer = Plan["show"]["layers"][number];
/** A reference source over or under the map. */
export type Reference = Extract<Layer, { kind: "reference" }>;
export type FigurePlan = Written<Schemas["FigurePlan"]>;
export type LabelSet = Plan["show"]["labels"][number];

type Part<T> = T extends unknown ? Omit<T, "name" | "on"> : never;
/** A condition that nobody has named or put to rest yet. */
export type NewCondition = Part<Condition>;
