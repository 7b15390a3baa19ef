<script setup lang="ts">
import { computed } from "vue";
import { useCopy } from "../copied";
import { grouped } from "../words";

const props = defineProps<{ value?: string; short?: boolean }>();
const { copied, copy } = useCopy(() => props.value ?? "");
const groups = computed(() => {
  const all = grouped(props.value ?? "");
  return props.short ? all.slice(0, 2) : all;
});
</script>

<template>
  <span v-if="value" class="mono fingerprint" :title="value">
    <span class="quiet">SHA256:</span
    ><span v-for="(group, i) in groups" :key="i" class="group">{{ group }}</span
    ><span v-if="short">…</span>
    <button v-if="!short" type="button" aria-label="Copy the fingerprint" @click="copy()">
      {{ copied ? "copied ✓" : "copy" }}
    </button>
  </span>
  <span v-else class="quiet">not made yet</span>
</template>

<style scoped>
.fingerprint {
  overflow-wrap: anywhere;
}
.group:not(:last-of-type) {
  margin-right: 0.35em;
}
button {
  margin-left: 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: none;
  color: var(--quiet);
  font-size: 11.5px;
  cursor: pointer;
}
</style>
