/** What a disk says of its health, in figures. */
import type { Schemas } from "../api/client";

export function healthFigures(told: Schemas["HealthModel"]): string {
  const figures = [
    told.hours == null ? "" : `${told.hours.toLocaleString("en")} h`,
    told.worn_percent ? `${told.worn_percent} % of its rated writes` : "",
    told.reallocated_sectors ? `${told.reallocated_sectors} sectors replaced` : "",
    told.pending_sectors ? `${told.pending_sectors} waiting` : "",
  ];
  return figures.filter(Boolean).join(", ");
}
