import { sayUnit, type Unit } from "@halvik/core/report";

/** What a chart's axes are told in: its unit and whose clock, in the corner where the newest is. */
export const AxisWords = ({ unit, zone }: { unit: Unit; zone: string }) => (
  <p aria-hidden className="absolute top-0 right-3 bg-paper/80 pl-1 text-micro text-quiet">
    {sayUnit(unit)} · {zone}
  </p>
);
