<script setup lang="ts">
import { computed } from "vue";
import type { Of } from "../api/client";
import { holes, type Piece, pieces } from "../chart";

const props = defineProps<{ detail: Of<"RotationDetailView"> }>();

const WIDTH = 1150;
const ROW = 74;
const BAR = 17;
const TOP = 6;

const time = computed(() => {
  const rotation = props.detail.rotation;
  const start = Date.parse(rotation?.plannedAt ?? "");
  const now = Date.parse(rotation?.endedAt ?? props.detail.now ?? "");
  const margin = Math.max(2000, (now - start) / 14);
  const over = rotation?.outcome !== undefined;
  return { left: start - margin, now, right: now + (over ? margin : margin * 4), over };
});

function x(at: number): number {
  const { left, right } = time.value;
  return ((at - left) / (right - left)) * WIDTH;
}

const rows = computed(() =>
  (props.detail.ties ?? []).map((tie) => {
    const limits = {
      left: time.value.left,
      right: time.value.over ? time.value.right : time.value.now,
    };
    const old = pieces(tie.oldAccepted, tie.oldOffered, limits);
    const fresh = pieces(tie.newAccepted, tie.newOffered, limits);
    return { tie, old, fresh, holes: holes([old, fresh], limits) };
  }),
);

function longest(bar: Piece[]): Piece {
  return bar.reduce((a, b) => (b.until - b.from > a.until - a.from ? b : a));
}

const ticks = computed(() => {
  const { left, right } = time.value;
  const span = (right - left) / 1000;
  const steps = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600, 21600, 86400, 604800];
  const step = (steps.find((s) => span / s <= 9) ?? 2592000) * 1000;
  const found: number[] = [];
  for (let at = Math.ceil(left / step) * step; at < right; at += step) {
    found.push(at);
  }
  return found;
});

const height = computed(() => rows.value.length * ROW + 30);

function clock(at: number): string {
  return new Date(at).toLocaleTimeString("en-GB");
}
</script>

<template>
  <div class="wide">
    <svg
      :viewBox="`0 0 ${WIDTH} ${height}`"
      :style="{ minWidth: '640px', width: '100%' }"
      role="img"
      aria-label="Overlap chart: for each tie the old and the new key in time"
    >
      <g v-for="at in ticks" :key="at">
        <line :x1="x(at)" :x2="x(at)" y1="0" :y2="height - 22" class="tick" />
        <text :x="x(at)" :y="height - 8" class="time">{{ clock(at) }}</text>
      </g>
      <g v-for="(row, i) in rows" :key="row.tie.tie" :transform="`translate(0 ${i * ROW + TOP})`">
        <text x="0" y="11" class="label">{{ row.tie.tie }}</text>
        <g v-for="(bar, b) in [row.old, row.fresh]" :key="b">
          <rect
            v-for="piece in bar"
            :key="piece.from"
            :x="x(piece.from)"
            :y="18 + b * (BAR + 5)"
            :width="Math.max(0, x(piece.until) - x(piece.from))"
            :height="BAR"
            :class="[b === 0 ? 'old' : 'new', piece.kind]"
          />
          <rect
            v-if="b === 1 && !time.over"
            :x="x(time.now)"
            :y="18 + BAR + 5"
            :width="WIDTH - x(time.now)"
            :height="BAR"
            class="planned"
          />
          <text
            v-if="bar.length"
            :x="Math.max(0, x(longest(bar).from)) + 6"
            :y="31 + b * (BAR + 5)"
            :class="['name', longest(bar).kind]"
          >
            {{ b === 0 ? "old key" : "new key" }}
          </text>
        </g>
        <rect
          v-for="hole in row.holes"
          :key="hole[0]"
          :x="x(hole[0])"
          y="18"
          :width="x(hole[1]) - x(hole[0])"
          :height="2 * BAR + 5"
          class="hole"
        />
        <g v-for="(mark, m) in row.tie.marks ?? []" :key="m">
          <path
            :transform="`translate(${x(Date.parse(mark.at ?? ''))} ${26 + (mark.key === 'new' ? BAR + 5 : 0)})`"
            :d="mark.kind === 'account-proof' ? 'M0 -6L6 0L0 6L-6 0Z' : 'M-5 -5H5V5H-5Z'"
            :class="['mark', mark.kind === 'use' ? 'use' : 'proof']"
          >
            <title>{{ mark.kind }} with the {{ mark.key }} key, {{ mark.at }}</title>
          </path>
        </g>
      </g>
      <line
        v-if="!time.over"
        :x1="x(time.now)"
        :x2="x(time.now)"
        y1="0"
        :y2="height - 22"
        class="now"
      />
    </svg>
    <p class="quiet legend">
      <span class="sample solid"></span> offered and accepted
      <span class="sample hollow"></span> only one of both
      <span class="sample later"></span> planned <span class="sample hole"></span> nothing works: a
      gap <span>◆ account proof</span> <span>■ seat proof</span>
    </p>
  </div>
</template>

<style scoped>
.tick {
  stroke: var(--line);
}
.now {
  stroke: var(--amber);
  stroke-width: 2;
}
.time,
.label {
  font-size: 12px;
  fill: var(--quiet);
}
.time {
  text-anchor: middle;
}
.label {
  fill: var(--ink);
}
.old.solid {
  fill: var(--old);
}
.old.hollow {
  fill: none;
  stroke: var(--old);
  stroke-width: 1.5;
}
.new.solid {
  fill: var(--petrol);
}
.new.hollow {
  fill: none;
  stroke: var(--petrol-ink);
  stroke-width: 1.5;
}
.planned {
  fill: var(--planned);
}
.hole {
  fill: var(--red);
  background: var(--red);
}
.name {
  font-size: 11.5px;
  fill: #fff;
}
.name.hollow {
  fill: var(--ink);
}
.mark {
  fill: var(--green);
  stroke: #fff;
  stroke-width: 1.5;
}
.mark.use {
  fill: var(--amber);
}
.legend {
  display: flex;
  gap: 6px 14px;
  flex-wrap: wrap;
  align-items: center;
  margin: 4px 0 0;
  font-size: 12.5px;
}
.sample {
  width: 22px;
  height: 11px;
  margin-right: -8px;
}
.sample.solid {
  background: var(--petrol);
}
.sample.hollow {
  border: 1.5px solid var(--petrol-ink);
}
.sample.later {
  background: var(--planned);
}
</style>
