<script setup lang="ts">
import { ref } from "vue";
import type { Of } from "../api/client";

defineProps<{ sheet: Of<"SheetView"> }>();
const text = ref(false);
</script>

<template>
  <section class="sheet" aria-labelledby="sheet">
    <div class="row spread">
      <h2 id="sheet">Its sheet: {{ sheet.system }}</h2>
      <button type="button" class="plain-input" @click="text = !text">
        {{ text ? "In words" : "As it is written" }}
      </button>
    </div>
    <pre v-if="text" class="mono" tabindex="0">{{ sheet.text }}</pre>
    <ul v-else>
      <li v-for="line in sheet.explanation" :key="line">{{ line }}</li>
    </ul>
  </section>
</template>

<style scoped>
pre {
  max-height: 480px;
  overflow: auto;
  font-size: 12.5px;
}
li {
  margin-bottom: 4px;
  overflow-wrap: anywhere;
}
</style>
