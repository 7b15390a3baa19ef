<script setup lang="ts">
import type { Of } from "../api/client";

defineProps<{ destination: Of<"DestinationView"> }>();
</script>

<template>
  <span v-if="destination.stoppedBecause" class="bad">✗ stopped</span>
  <span v-else-if="destination.health?.failure" class="warn">! in trouble</span>
  <span v-else-if="destination.feed?.failure" class="warn">! its log cannot be read</span>
  <span v-else-if="destination.sheetId && !destination.testedAt" class="warn"
    >! not tested yet</span
  >
  <span v-else-if="destination.health" class="good">✓ in order</span>
  <span v-else class="quiet">… not looked at yet</span>
</template>

<style scoped>
.good {
  color: var(--green);
}
.warn {
  color: var(--amber-ink);
}
.bad {
  color: var(--red);
}
span {
  white-space: nowrap;
}
</style>
