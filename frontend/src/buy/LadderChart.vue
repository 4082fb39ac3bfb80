<script setup lang="ts">
/**
 * Disks as rungs on one true scale, crossed by two upright lines: what the source must have, and with headroom. A rung
 * that ends before the first does not fit, between the two it is tight, past the second comfortable.
 */
import { computed, ref } from "vue";
import type { Ladder, Offer } from "../api/buy";
import { size } from "../widgets/units";
import { spaced, verdictName } from "../widgets/words";
import { around, scale } from "./ladder";
import { price } from "./prices";

/** `own`: the chosen disk where it is none of the rungs; it stands as a line of its own. */
const props = defineProps<{
  ladder: Ladder;
  chosen: string;
  sector: number;
  whole?: boolean;
  own?: { name: string; size_bytes: number } | null;
}>();
const emit = defineEmits<{ choose: [offer: Offer] }>();

const all = ref(false);
const shown = computed(() =>
  all.value || props.whole ? props.ladder.disks : around(props.ladder.disks, props.chosen),
);
const must = computed(() => bytesOf(props.ladder.least_tight_sectors));
const comfort = computed(() => bytesOf(props.ladder.least_comfortable_sectors));
const at = computed(() => scale(shown.value, [must.value, comfort.value, props.own?.size_bytes ?? null]));
function bytesOf(sectors: number | null): number | null {
  return sectors === null ? null : sectors * props.sector;
}
const priced = computed(() => props.ladder.disks.some((offer) => offer.price !== null));
const turned = (bytes: number) => at.value(bytes) > 45;
/** Both labels stand on one line where they are far enough from each other, else below one another. */
const close = computed(
  () => must.value !== null && comfort.value !== null && at.value(comfort.value) - at.value(must.value) < 24,
);

function step(event: KeyboardEvent, by: number): void {
  const rungs = [...((event.currentTarget as HTMLElement).closest("ol")?.querySelectorAll("button") ?? [])];
  rungs[rungs.indexOf(event.currentTarget as HTMLButtonElement) + by]?.focus();
}
</script>

<template>
  <div class="ladder" :class="{ priced, third: !!own }">
    <div class="lines" aria-hidden="true">
      <div class="space">
        <span v-if="must !== null" class="must" :class="{ turned: turned(must) }" :style="{ left: `${at(must)}%` }">
          <b>must have</b> from {{ size(must, "decimal") }}
        </span>
        <span
          v-if="comfort !== null"
          class="comfort"
          :class="{ low: close, turned: turned(comfort) }"
          :style="{ left: `${at(comfort)}%` }"
        >
          <b>with headroom</b> from {{ size(comfort, "decimal") }}
        </span>
        <span
          v-if="own"
          class="own"
          :class="{ turned: turned(own.size_bytes) }"
          :style="{ left: `${at(own.size_bytes)}%` }"
        >
          <b>chosen</b> {{ spaced(own.name) }}
        </span>
      </div>
    </div>
    <ol aria-label="Sizes, the smallest first">
      <li v-for="offer in shown" :key="offer.name">
        <button
          type="button"
          class="rung"
          :class="[offer.verdict ?? 'none', { chosen: offer.name === chosen }]"
          :aria-pressed="offer.name === chosen"
          :title="`shows as ${size(offer.size_bytes, 'binary')}, ${offer.sectors.toLocaleString('en')} sectors`"
          @click="emit('choose', offer)"
          @keydown.down.prevent="step($event, 1)"
          @keydown.up.prevent="step($event, -1)"
        >
          <span class="name">
            {{ spaced(offer.name) }} <a-tag v-if="offer.name === chosen" class="tag stop">chosen</a-tag>
          </span>
          <span class="space" aria-hidden="true">
            <i class="bar" :style="{ width: `${at(offer.size_bytes)}%` }" />
            <i
              v-if="offer.verdict === 'does-not-fit' && must !== null"
              class="short"
              :style="{ left: `${at(offer.size_bytes)}%`, width: `${Math.max(0, at(must) - at(offer.size_bytes))}%` }"
            />
            <i v-if="must !== null" class="line" :style="{ left: `${at(must)}%` }" />
            <i v-if="comfort !== null" class="line dotted" :style="{ left: `${at(comfort)}%` }" />
            <i v-if="own" class="line own" :style="{ left: `${at(own.size_bytes)}%` }" />
          </span>
          <span class="says">
            <b>{{ verdictName(offer.verdict) }}</b>
            <span>{{ offer.says }}</span>
          </span>
          <span v-if="priced" class="price fig">{{ price(offer.price, offer.currency) }}</span>
          <span class="marks">
            <a-tag v-if="offer.smallest" class="tag">smallest {{ offer.smallest }}</a-tag>
            <a-tag v-if="offer.cheapest" class="tag">cheapest</a-tag>
            <a-tag v-if="offer.suits === false" class="tag mind" :title="offer.suits_why">wrong slot</a-tag>
          </span>
        </button>
      </li>
    </ol>
    <div class="foot">
      <p v-if="ladder.least_tight_sectors !== null" class="muted">
        Exactly: fits from
        <span class="fig">{{ ladder.least_tight_sectors.toLocaleString("en") }}</span> sectors<template
          v-if="ladder.least_comfortable_sectors !== null"
          >, with headroom from
          <span class="fig">{{ ladder.least_comfortable_sectors.toLocaleString("en") }}</span></template
        ><template v-else>; no size keeps the headroom of every row under this fit</template>.
      </p>
      <a-button v-if="!whole && ladder.disks.length > shown.length" size="small" type="text" @click="all = true">
        Show all {{ ladder.disks.length }}
      </a-button>
      <a-button v-else-if="all" size="small" type="text" @click="all = false">Show fewer</a-button>
    </div>
  </div>
</template>

<style scoped>
.ladder {
  --columns: 150px minmax(120px, 1fr) 250px 150px;
  display: grid;
  gap: 2px;
}
.ladder.priced {
  --columns: 150px minmax(120px, 1fr) 250px 90px 150px;
}
.lines {
  display: grid;
  grid-template-columns: var(--columns);
  gap: 10px;
  padding: 0 8px;
}
.lines .space {
  grid-column: 2;
  height: 36px;
}
.third .lines .space {
  height: 54px;
}
.lines span {
  position: absolute;
  top: 0;
  padding: 0 5px;
  white-space: nowrap;
  font-size: 12px;
  border-left: 1.5px solid var(--ink);
}
.lines .comfort {
  border-left-style: dotted;
}
.lines span.low {
  top: 18px;
}
.lines span.turned {
  transform: translateX(-100%);
  border-left: 0;
  border-right: 1.5px solid var(--ink);
}
.lines span.own {
  top: 36px;
  color: var(--action);
  border-color: var(--action);
}
.lines .comfort.turned {
  border-right-style: dotted;
}
ol {
  margin: 0;
  padding: 0;
  list-style: none;
}
.space {
  position: relative;
  align-self: stretch;
}
.rung {
  display: grid;
  grid-template-columns: var(--columns);
  gap: 10px;
  align-items: center;
  width: 100%;
  min-height: 30px;
  padding: 0 8px;
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 1px solid transparent;
  border-radius: 6px;
  cursor: pointer;
}
.rung:hover {
  background: var(--chosen);
}
.rung.chosen {
  border-color: var(--ink);
  background: var(--chosen);
}
.name {
  font-weight: 600;
  overflow-wrap: anywhere;
  line-height: 1.2;
}
.bar,
.short {
  position: absolute;
  top: 7px;
  bottom: 7px;
  left: 0;
  border: 1.5px solid var(--holds);
  border-radius: 2px;
}
.comfortable .bar {
  background: color-mix(in srgb, var(--holds) 62%, transparent);
}
.tight .bar {
  background: color-mix(in srgb, var(--holds) 26%, transparent);
}
.does-not-fit .bar,
.none .bar {
  background: none;
}
.short {
  border: 1.5px dashed var(--sand);
  border-left: 0;
  background: repeating-linear-gradient(135deg, transparent 0 5px, var(--sand) 5px 6px);
}
.line {
  position: absolute;
  top: -1px;
  bottom: -1px;
  border-left: 1.5px solid var(--ink);
}
.line.own {
  border-color: var(--action);
}
.line.dotted {
  border-left-style: dotted;
}
.says {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  line-height: 1.25;
}
.price {
  text-align: right;
}
.marks {
  display: flex;
  gap: 4px;
  flex-wrap: wrap;
}
.foot {
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
}
@media (max-width: 820px) {
  .ladder,
  .ladder.priced {
    --columns: 90px minmax(80px, 1fr);
  }
  .says,
  .price,
  .marks {
    grid-column: 1 / -1;
    text-align: left;
  }
  .rung {
    padding: 6px 4px;
  }
}
</style>
