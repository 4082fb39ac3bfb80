<script setup lang="ts">
/** How many machines need which size to be comfortable, with the models' sizes as lines. */
import { computed } from "vue";
import type { Fleet } from "../api/buy";
import { size } from "../widgets/units";
import { spaced } from "../widgets/words";
import { shape } from "./histogram";

const props = defineProps<{ fleet: Fleet; target: number }>();
const emit = defineEmits<{ choose: [target: number] }>();
const [WIDTH, HEIGHT, LINE] = [850, 120, 16];

const drawn = computed(() => shape(props.fleet.histogram, props.fleet.targets, WIDTH, HEIGHT));
const top = computed(() => drawn.value.rows * LINE + 6);
const placeOf = (name: string) => props.fleet.targets.findIndex((target) => target.name === name);
</script>

<template>
  <figure class="chart">
    <figcaption>
      Machines by the smallest disk on which they are <i>comfortable</i>; each line is a model, and what stands left of
      it fits with headroom.
    </figcaption>
    <svg
      class="chart"
      :viewBox="`-30 0 ${WIDTH + 110} ${top + HEIGHT + 24}`"
      role="img"
      :aria-label="`Needed sizes of ${fleet.done - fleet.repeated} machines`"
    >
      <g :transform="`translate(0 ${top})`">
        <rect
          v-for="bar in drawn.bars.filter((one) => one.bin.machines)"
          :key="bar.bin.from_bytes"
          class="bar"
          :x="bar.x + 1"
          :y="HEIGHT - bar.height"
          :width="Math.max(1, bar.width - 2)"
          :height="bar.height"
        >
          <title>
            {{ bar.bin.machines }} need {{ size(bar.bin.from_bytes, "decimal") }} to
            {{ size(bar.bin.to_bytes, "decimal") }}
          </title>
        </rect>
        <line class="base" x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" />
      </g>
      <g
        v-for="model in drawn.models"
        :key="model.name"
        class="model"
        :class="{ chosen: placeOf(model.name) === target }"
        @click="emit('choose', placeOf(model.name))"
      >
        <line :x1="model.x" :x2="model.x" :y1="model.row * LINE + 4" :y2="top + HEIGHT" />
        <text :x="model.x + 4" :y="model.row * LINE + 13">{{ spaced(model.name) }}</text>
      </g>
      <!-- Figures last, so that no line runs over them. -->
      <g :transform="`translate(0 ${top})`">
        <g v-for="(bar, place) in drawn.bars" :key="bar.bin.from_bytes">
          <text v-if="bar.bin.machines" class="count" :x="bar.x + bar.width / 2" :y="HEIGHT - bar.height - 4">
            {{ bar.bin.machines }}
          </text>
          <text v-if="bar.width > 52 || place % 2 === 0" class="muted" :x="bar.x" :y="HEIGHT + 15">
            {{ size(bar.bin.from_bytes, "decimal") }}
          </text>
        </g>
      </g>
    </svg>
  </figure>
</template>

<style scoped>
text.muted {
  text-anchor: middle;
}
text.count {
  text-anchor: middle;
}
text.count,
.model text {
  paint-order: stroke;
  stroke: var(--card);
  stroke-width: 4px;
}
.bar {
  fill: var(--holds);
  opacity: 0.7;
}
.base {
  stroke: var(--sand);
}
.model {
  cursor: pointer;
}
.model line {
  stroke: var(--ink);
  stroke-width: 1.2;
}
.model.chosen line {
  stroke: var(--action);
  stroke-width: 2.4;
}
.model.chosen text {
  font-weight: 600;
}
</style>
