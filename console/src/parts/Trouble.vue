<script setup lang="ts">
import { Alert } from "ant-design-vue";
import type { Problem } from "../api/client";

defineProps<{ problem?: Problem }>();
</script>

<template>
  <Alert
    v-if="problem"
    type="error"
    show-icon
    :message="problem.message"
    :description="problem.remedy || undefined"
    style="margin-bottom: 16px"
  />
</template>
