<script setup lang="ts">
import type { Of } from "../api/client";
import { said } from "../words";

defineProps<{ rotation: Of<"RotationView"> }>();
</script>

<template>
  <span v-if="rotation.outcome === 'done'" class="state good">✓ done</span>
  <span v-else-if="rotation.outcome" class="state">↩ {{ said(rotation.outcome) }}</span>
  <span v-else-if="rotation.needsPerson" class="state person">! waits for a person</span>
  <span v-else-if="rotation.direction === 'rolling-back'" class="state person">↩ rolling back</span>
  <span v-else class="state">● {{ rotation.stage }}</span>
</template>

<style scoped>
.state {
  white-space: nowrap;
}
.good {
  color: var(--green);
}
.person {
  color: var(--amber-ink);
  font-weight: 600;
}
</style>
