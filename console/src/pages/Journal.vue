<script setup lang="ts">
import { Button } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { api, type Of, take } from "../api/client";
import { anything, live } from "../api/live";
import Trouble from "../parts/Trouble.vue";
import { moment } from "../words";

const route = useRoute();
const after = computed(() =>
  typeof route.query.after === "string" ? route.query.after : undefined,
);
const { data, problem, reload } = live(
  () => take(api.GET("/api/v1/journal", { params: { query: { limit: 50, after: after.value } } })),
  anything,
);
watch(after, () => void reload());

const check = ref<Of<"SealCheckView">>();
async function checkAll(): Promise<void> {
  check.value = await take(api.GET("/api/v1/journal/check"));
}
</script>

<template>
  <div class="row spread head">
    <h1>Journal</h1>
    <div class="row">
      <span v-if="check" role="status" :class="check.holds ? 'good' : 'bad'">
        {{
          check.holds
            ? `✓ all ${check.entries} links hold, and every signature and name`
            : `✗ ${check.sentence}`
        }}
      </span>
      <Button @click="checkAll()">Check the whole journal</Button>
    </div>
  </div>
  <Trouble :problem="problem" />
  <section class="sheet wide">
    <table class="plain-table">
      <thead>
        <tr>
          <th>No.</th>
          <th>When</th>
          <th>Who</th>
          <th>What</th>
          <th>Link</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="entry in data?.items" :key="entry.id">
          <td>{{ entry.number ?? "…" }}</td>
          <td class="when">{{ moment(entry.at) }}</td>
          <td>{{ entry.who }}</td>
          <td>{{ entry.text }}</td>
          <td class="mono quiet" :title="entry.link">{{ entry.link?.slice(0, 10) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="data && !data.items?.length" class="quiet">The journal is empty.</p>
    <div v-if="data?.next" class="next">
      <RouterLink :to="{ query: { after: data.next } }">Older →</RouterLink>
    </div>
  </section>
</template>

<style scoped>
.when {
  white-space: nowrap;
}
.good {
  color: var(--green);
}
.bad {
  color: var(--red);
}
.next {
  text-align: right;
  padding-top: 10px;
}
</style>
