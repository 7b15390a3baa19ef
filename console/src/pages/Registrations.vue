<script setup lang="ts">
import { Button, Skeleton } from "ant-design-vue";
import { api, take } from "../api/client";
import { live } from "../api/live";
import Trouble from "../parts/Trouble.vue";
import { moment, said } from "../words";

const { data, problem } = live(
  () => take(api.GET("/api/v1/registrations", { params: { query: { limit: 100 } } })),
  (topic) => topic.startsWith("registration."),
);
</script>

<template>
  <div class="row spread head">
    <h1>Registrations</h1>
    <RouterLink to="/registrations/new">
      <Button type="primary">Place keys on accounts</Button>
    </RouterLink>
  </div>
  <Trouble :problem="problem" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 6 }" />
  <section v-if="data" class="sheet wide">
    <p v-if="!data.items?.length" class="quiet">
      None yet. A registration places several keys, or one on several accounts, with one decision.
    </p>
    <table v-else class="plain-table">
      <thead>
        <tr>
          <th>State</th>
          <th>Keys</th>
          <th>Done</th>
          <th>Not done</th>
          <th>Why</th>
          <th>Begun</th>
          <th>By</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in data.items" :key="r.id">
          <td>
            <RouterLink :to="`/registrations/${r.id}`" :class="{ person: r.state === 'stopped' }">
              {{ r.state === "stopped" ? "! stopped" : said(r.state) }}
            </RouterLink>
          </td>
          <td>{{ r.count }}</td>
          <td>{{ (r.done ?? 0) + (r.thereAlready ?? 0) }}</td>
          <td>{{ (r.refused ?? 0) + (r.failed ?? 0) + (r.cancelled ?? 0) }}</td>
          <td>{{ r.reason }}</td>
          <td class="nowrap">{{ moment(r.begunAt) }}</td>
          <td>{{ r.begunBy }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.person {
  color: var(--amber-ink);
  font-weight: 600;
}
</style>
