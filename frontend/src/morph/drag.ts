/** Drawing the edge under a target block, and carrying a block to another place. */
import { useEventListener } from "@vueuse/core";
import { computed, ref, type Ref } from "vue";
import type { PlanRow } from "../api/client";
import { landing, type MorphPicture } from "./geometry";

/** The edge that is held: where it was taken, what the row had then, and what is wanted of it now. */
interface Grip {
  row: number;
  y: number;
  size: number;
  wanted: number;
}

interface EdgeEvents {
  chosen: (row: number) => void;
  drag: (row: number, size: number, alone: boolean) => void;
  drop: (row: number, size: number, alone: boolean) => void;
  cancel: () => void;
}

/** One edge at a time; letting go makes the change, Escape and a pointer that is taken away do not. */
export function useEdgeDrag(pixelsPerByte: () => number, on: EdgeEvents) {
  const grip = ref<Grip | null>(null);

  function take(event: PointerEvent, row: PlanRow): void {
    if (event.button !== 0 || row.size_bytes === null) return;
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    on.chosen(row.number);
    grip.value = { row: row.number, y: event.clientY, size: row.size_bytes, wanted: row.size_bytes };
    event.preventDefault();
  }
  function pull(event: PointerEvent): void {
    const held = grip.value;
    if (!held) return;
    held.wanted = Math.max(0, Math.round(held.size + (event.clientY - held.y) / pixelsPerByte()));
    on.drag(held.row, held.wanted, event.shiftKey);
  }
  function letGo(event: PointerEvent): void {
    const held = grip.value;
    grip.value = null;
    if (!held) return;
    if (held.wanted === held.size) on.cancel();
    else on.drop(held.row, held.wanted, event.shiftKey);
  }
  function giveUp(): void {
    if (grip.value) on.cancel();
    grip.value = null;
  }
  useEventListener(window, "keydown", (event: KeyboardEvent) => {
    if (event.key === "Escape") giveUp();
  });
  return { grip, take, pull, letGo, giveUp };
}

/** A target block that is being carried; it counts once the pointer has left where it was taken. */
interface Lifted {
  row: number;
  from: number;
  y: number;
}

export function useRowLift(
  svg: Ref<SVGSVGElement | null>,
  drawn: () => MorphPicture,
  movable: (row: number) => boolean,
  move: (row: number, steps: number) => void,
) {
  const lifted = ref<Lifted | null>(null);
  const far = computed(() => !!lifted.value && Math.abs(lifted.value.y - lifted.value.from) > 6);
  const land = computed(() =>
    lifted.value && far.value ? landing(drawn().target, lifted.value.row, lifted.value.y) : null,
  );
  const inside = (event: PointerEvent) => event.clientY - (svg.value?.getBoundingClientRect().top ?? 0);

  function lift(event: PointerEvent, row: number): void {
    if (event.button === 0 && movable(row)) lifted.value = { row, from: inside(event), y: inside(event) };
  }
  const putBack = () => (lifted.value = null);
  useEventListener(window, "pointermove", (event: PointerEvent) => {
    if (lifted.value) lifted.value = { ...lifted.value, y: inside(event) };
  });
  useEventListener(window, "pointerup", () => {
    const [held, there] = [lifted.value, land.value];
    putBack();
    if (held && there?.steps) move(held.row, there.steps);
  });
  useEventListener(window, "pointercancel", putBack);
  useEventListener(window, "keydown", (event: KeyboardEvent) => {
    if (event.key === "Escape") putBack();
  });
  return { far, land, lift };
}
