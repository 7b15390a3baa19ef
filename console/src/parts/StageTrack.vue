<script setup lang="ts">
import { computed } from "vue";
import { STAGES } from "../words";

const props = defineProps<{
  stage?: string;
  direction?: string;
  outcome?: string;
  waiting?: boolean;
}>();
const reached = computed(() =>
  STAGES.indexOf((props.stage ?? "planned") as (typeof STAGES)[number]),
);
</script>

<template>
  <ol class="track" :aria-label="`Stage: ${stage}`">
    <li
      v-for="(name, i) in STAGES"
      :key="name"
      :class="{
        past: i < reached || outcome === 'done',
        now: i === reached && outcome !== 'done',
        waiting: i === reached && waiting,
        back: direction === 'rolling-back',
      }"
    >
      <span class="peg" aria-hidden="true">{{
        i < reached || outcome === "done" ? "✓" : i === reached ? (waiting ? "!" : "●") : ""
      }}</span>
      <span>{{ name }}</span>
    </li>
  </ol>
</template>

<style scoped>
.track {
  display: flex;
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  flex: 1;
  min-width: 0;
  text-align: center;
  font-size: 12.5px;
  color: var(--quiet);
  position: relative;
}
li::before {
  content: "";
  position: absolute;
  top: 11px;
  left: -50%;
  width: 100%;
  height: 2px;
  background: var(--line);
}
li:first-child::before {
  display: none;
}
li.past::before,
li.now::before {
  background: var(--petrol-ink);
}
.peg {
  position: relative;
  z-index: 1;
  display: block;
  width: 22px;
  height: 22px;
  margin: 0 auto 4px;
  border-radius: 50%;
  border: 2px solid var(--line);
  background: var(--sheet);
  line-height: 18px;
  font-size: 11px;
}
.past .peg {
  border-color: var(--petrol-ink);
  color: var(--petrol-ink);
}
.now {
  color: var(--ink);
  font-weight: 600;
}
.now .peg {
  border-color: var(--petrol-ink);
  background: var(--petrol);
  color: #fff;
}
.waiting .peg {
  border-color: var(--amber);
  background: var(--amber);
}
@media (max-width: 600px) {
  li:not(.now) > span:last-child {
    display: none;
  }
  .now > span:last-child {
    white-space: nowrap;
    margin-left: -20px;
    margin-right: -20px;
  }
}
</style>
