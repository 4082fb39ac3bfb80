<script setup lang="ts">
/** What a larger disk gives: free space for the system over the disk's size, with the two sizes from which it works. */
import { computed } from "vue";
import type { Ladder } from "../api/buy";
import { size } from "../widgets/units";
import { spaced, verdictName } from "../widgets/words";
import { picture } from "./free";

const props = defineProps<{ ladder: Ladder; chosen: string }>();
const emit = defineEmits<{ choose: [name: string] }>();
const [WIDTH, HEIGHT, LINE] = [1060, 150, 15];

const bytes = (sectors: number | null) => (sectors === null ? null : sectors * 512);
const drawn = computed(() => picture(props.ladder.disks, bytes(props.ladder.least_comfortable_sectors), WIDTH, HEIGHT));
const at = (sectors: number | null) => (sectors === null ? null : ((sectors * 512) / drawn.value.most) * WIDTH);
const must = computed(() => at(props.ladder.least_tight_sectors));
const comfort = computed(() => at(props.ladder.least_comfortable_sectors));
</script>

<template>
  <figure class="chart">
    <figcaption>
      Free for the system over the size on the label: a disk left of <i>must have</i> does not fit, between the lines it
      is tight.
      <span v-if="drawn.left" class="muted">
        {{ drawn.left === 1 ? "One much larger disk is" : `${drawn.left} much larger disks are` }} not drawn.
      </span>
    </figcaption>
    <svg
      class="chart"
      :viewBox="`-72 -22 ${WIDTH + 100} ${HEIGHT + 32 + drawn.rows * LINE}`"
      role="group"
      aria-label="Free space over size"
    >
      <rect v-if="must !== null" class="short" x="0" y="0" :width="Math.min(WIDTH, must)" :height="HEIGHT" />
      <line class="axis" x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" />
      <line class="axis" x1="0" x2="0" y1="0" :y2="HEIGHT" />
      <text x="-8" y="8" class="end">{{ size(drawn.top) }}</text>
      <text x="-8" :y="HEIGHT" class="end">0 free</text>
      <g v-if="must !== null && must < WIDTH">
        <line class="must" :x1="must" :x2="must" y1="-4" :y2="HEIGHT" />
        <text :x="must" y="-8" class="end">must have</text>
      </g>
      <g v-if="comfort !== null && comfort < WIDTH">
        <line class="must dotted" :x1="comfort" :x2="comfort" y1="-4" :y2="HEIGHT" />
        <text :x="comfort + 3" y="-8">with headroom</text>
      </g>
      <g
        v-for="dot in drawn.dots"
        :key="dot.name"
        class="dot"
        :class="{ chosen: dot.name === chosen }"
        role="button"
        tabindex="0"
        :aria-label="`${dot.name}: ${verdictName(dot.verdict)}`"
        @click="emit('choose', dot.name)"
        @keydown.enter="emit('choose', dot.name)"
      >
        <line class="leader" :x1="dot.x" :x2="dot.x" :y1="dot.y" :y2="HEIGHT + 6 + dot.row * LINE" />
        <circle :cx="dot.x" :cy="dot.y" r="6" :class="dot.verdict ?? 'none'" />
        <text :x="dot.x" :y="HEIGHT + 18 + dot.row * LINE" class="name">{{ spaced(dot.name) }}</text>
      </g>
    </svg>
  </figure>
</template>

<style scoped>
text.end {
  text-anchor: end;
}
text.name {
  text-anchor: middle;
  paint-order: stroke;
  stroke: var(--card);
  stroke-width: 3px;
}
.axis {
  stroke: var(--sand);
}
.short {
  fill: var(--line);
  opacity: 0.45;
}
.must {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.dotted {
  stroke-dasharray: 2 4;
}
.leader {
  stroke: var(--line);
}
.dot {
  cursor: pointer;
}
circle {
  stroke: var(--holds);
  stroke-width: 2;
  fill: var(--card);
}
circle.tight {
  fill: color-mix(in srgb, var(--holds) 35%, var(--card));
}
circle.comfortable {
  fill: var(--holds);
}
.chosen circle {
  stroke: var(--action);
  stroke-width: 3;
}
.chosen text {
  font-weight: 600;
}
</style>
