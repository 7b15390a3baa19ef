<script setup lang="ts">
import { computed, ref, watch } from "vue";

/** Two fields that have to be the same; what is chosen is empty as long as it cannot be used. */
const chosen = defineModel<string>({ required: true });
defineProps<{ id: string; label: string }>();

const LEAST = 10;
const one = ref("");
const again = ref("");
const differs = computed(() => !!again.value && again.value !== one.value);
watch([one, again], () => {
  chosen.value = one.value.length >= LEAST && one.value === again.value ? one.value : "";
});
</script>

<template>
  <label :for="id">{{ label }}, {{ LEAST }} characters or more</label>
  <input
    :id="id"
    v-model="one"
    class="plain-input wide"
    type="password"
    autocomplete="new-password"
  />
  <label for="again">Once more</label>
  <input
    id="again"
    v-model="again"
    class="plain-input wide"
    type="password"
    autocomplete="new-password"
  />
  <p v-if="differs" class="refused" role="status">✗ The two differ.</p>
</template>
