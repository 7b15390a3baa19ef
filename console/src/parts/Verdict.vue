<script setup lang="ts">
import type { Of } from "../api/client";
import { moment, outcome } from "../words";

defineProps<{ verdict?: Of<"VerdictView">; brief?: boolean }>();
</script>

<template>
  <div v-if="verdict">
    <div :class="verdict.outcome">{{ outcome(verdict.outcome) }}</div>
    <ul v-if="!brief && verdict.notes?.length">
      <li v-for="note in verdict.notes" :key="`${note.rule} ${note.sentence}`">
        <span :class="note.refuses ? 'refused' : 'accepted-with-warnings'">
          {{ note.refuses ? "✗" : "!" }} {{ note.sentence }}
        </span>
        {{ note.remedy }}
        <div class="quiet">
          <RouterLink :to="`/rulebook#rule-${note.rule}`">Rule {{ note.rule }}</RouterLink>
          ({{ note.name }}): {{ note.because }}
          <template v-if="note.exception">
            Let pass until {{ moment(note.exceptionUntil) }}: {{ note.exception }}.
          </template>
        </div>
      </li>
    </ul>
  </div>
</template>

<style scoped>
ul {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
}
li {
  margin-bottom: 8px;
}
li a {
  text-decoration: underline;
}
</style>
