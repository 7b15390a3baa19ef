<script setup lang="ts">
import type { Of } from "../api/client";

defineProps<{ change: Of<"SystemChangeView"> }>();
</script>

<template>
  <div class="mono quiet">{{ change.file }}</div>
  <div v-for="line in change.removed" :key="line" class="mono removed">− {{ line }}</div>
  <div v-for="line in change.added" :key="line" class="mono added">+ {{ line }}</div>
  <div v-if="change.kept" class="quiet">
    {{
      change.kept === 1
        ? "1 other line stays as it is"
        : `${change.kept} other lines stay as they are`
    }}, byte for byte
  </div>
</template>

<style scoped>
.removed {
  color: var(--red);
}
.added {
  color: var(--green);
}
</style>
