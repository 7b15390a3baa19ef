<script setup lang="ts">
import { Button, Modal } from "ant-design-vue";
import { nextTick, ref, watch } from "vue";
import { question } from "../api/confirmation";

const password = ref("");
const field = ref<HTMLInputElement>();

watch(question, async (asked) => {
  password.value = "";
  if (asked) {
    await nextTick();
    setTimeout(() => field.value?.focus(), 50);
  }
});
</script>

<template>
  <Modal
    :open="!!question"
    title="Your password, please"
    :footer="null"
    :width="420"
    @cancel="question?.answer(undefined)"
  >
    <form @submit.prevent="question?.answer(password)">
      <p class="quiet">
        This is worth more than a session that somebody found open. You are not asked again for ten
        minutes.
      </p>
      <label for="confirming-password">Password</label>
      <input
        id="confirming-password"
        ref="field"
        v-model="password"
        class="plain-input wide"
        type="password"
        autocomplete="current-password"
      />
      <div class="row" style="margin-top: 16px">
        <Button type="primary" html-type="submit" :disabled="!password">Go on</Button>
        <Button @click="question?.answer(undefined)">Not now</Button>
      </div>
    </form>
  </Modal>
</template>
