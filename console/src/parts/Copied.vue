<script setup lang="ts">
import { useCopy } from "../copied";

const props = defineProps<{ text: string; label: string }>();
const { copied, copy } = useCopy(() => props.text);
</script>

<template>
  <div class="copied">
    <pre class="mono" tabindex="0" :aria-label="label">{{ text }}</pre>
    <button type="button" :aria-label="`Copy: ${label}`" @click="copy()">
      {{ copied ? "copied ✓" : "copy" }}
    </button>
  </div>
</template>

<style scoped>
.copied {
  position: relative;
}
pre {
  margin: 4px 0 10px;
  padding: 8px 70px 8px 10px;
  background: var(--ground);
  border: 1px solid var(--line);
  border-radius: 4px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 240px;
  overflow-y: auto;
}
button {
  position: absolute;
  top: 6px;
  right: 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--quiet);
  font-size: 11.5px;
  cursor: pointer;
}
</style>
