<script setup lang="ts">
import type { Of } from "../api/client";

defineProps<{ settings: Of<"SettingView">[] }>();
const values = defineModel<Record<string, string>>({ required: true });
</script>

<template>
  <template v-for="setting in settings" :key="setting.name">
    <label :for="`set-${setting.name}`">{{ setting.name }}: {{ setting.about }}</label>
    <textarea
      v-if="setting.severalLines"
      :id="`set-${setting.name}`"
      v-model="values[setting.name]"
      class="plain-input mono line"
      rows="5"
      required
    />
    <input
      v-else
      :id="`set-${setting.name}`"
      v-model="values[setting.name]"
      class="plain-input mono line"
      :required="setting.usual === undefined"
      :placeholder="setting.usual"
    />
  </template>
</template>
