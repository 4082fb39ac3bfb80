<script setup lang="ts">
/** The five fits, each with its own result for this pair. */
import type { Card, FitKey } from "../api/client";
import { size } from "../widgets/units";
import { FIT_HINTS, FIT_NAMES, verdictName } from "../widgets/words";

defineProps<{ cards: Card[]; fit: FitKey }>();
const emit = defineEmits<{ fit: [fit: FitKey] }>();

function verdict(card: Card): string {
  if (card.verdict === "tight" && card.kept_percent < 100) return `tight, headroom ${card.kept_percent} %`;
  return verdictName(card.verdict).toLowerCase();
}

function figures(card: Card): string {
  if (card.verdict === "does-not-fit") return `${size(card.shortfall_bytes)} short`;
  if (card.fit === "snug" || card.fit === "same")
    return card.open_bytes ? `${size(card.open_bytes)} left open` : "nothing left open";
  const [first, ...others] = card.fills;
  if (card.fit === "even-fill" && first !== undefined && others.every((fill) => Math.abs(fill - first) <= 1)) {
    return others.length > 1 ? `all ${first} % full` : others.length ? `both ${first} % full` : `${first} % full`;
  }
  const sizes = card.sizes.map(({ bytes }) => size(bytes));
  if (sizes.length > 2)
    return `${sizes.length} rows, the largest ${size(Math.max(...card.sizes.map((one) => one.bytes)))}`;
  return sizes.join(" + ") || "nothing elastic";
}

/** Small columns: the elastic rows one under the other, what stays open dashed. */
function bars(card: Card): { y: number; height: number; change: string }[] {
  const parts: { bytes: number; change: string }[] = [...card.sizes];
  if (card.open_bytes > 0) parts.push({ bytes: card.open_bytes, change: "open" });
  const total = parts.reduce((sum, part) => sum + part.bytes, 0);
  let y = 0;
  return parts.map((part) => {
    const height = (part.bytes / total) * 40;
    const bar = { y, height: Math.max(1, height - 1), change: part.change };
    y += height;
    return bar;
  });
}
</script>

<template>
  <div class="cards" role="group" aria-label="Fits">
    <button
      v-for="(card, index) in cards"
      :key="card.fit"
      type="button"
      class="fit-card"
      :class="{ on: card.fit === fit }"
      :aria-pressed="card.fit === fit"
      :title="FIT_HINTS[card.fit]"
      @click="emit('fit', card.fit)"
    >
      <svg width="14" height="41" aria-hidden="true">
        <rect v-if="!card.sizes.length" class="none" x="0.5" y="0.5" width="13" height="40" />
        <g v-for="bar in bars(card)" :key="bar.y" :class="bar.change">
          <rect
            :class="bar.change === 'open' ? 'none' : 'bar'"
            x="0.5"
            :y="bar.y + 0.5"
            width="13"
            :height="bar.height"
          />
        </g>
      </svg>
      <span class="words">
        <b>{{ FIT_NAMES[card.fit] }}</b>
        <span class="muted">{{ verdict(card) }}</span>
        <span class="muted">{{ figures(card) }}</span>
      </span>
      <kbd>{{ index + 1 }}</kbd>
    </button>
  </div>
</template>

<style scoped>
.cards {
  display: grid;
  grid-template-columns: repeat(5, 1fr);
  gap: 8px;
}
.fit-card {
  display: flex;
  gap: 14px;
  align-items: flex-start;
  text-align: left;
  font: inherit;
  line-height: 1.25;
  color: var(--ink);
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 8px;
  padding: 8px 8px 8px 14px;
  cursor: pointer;
}
.fit-card.on {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
}
.words {
  flex: 1;
  min-width: 0;
  display: grid;
}
.bar {
  fill: currentColor;
  opacity: 0.75;
}
.none {
  fill: none;
  stroke: var(--sand);
  stroke-dasharray: 2 2;
}
@media (max-width: 980px) {
  .cards {
    grid-template-columns: 1fr;
  }
}
</style>
