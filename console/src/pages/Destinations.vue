<script setup lang="ts">
import { Button, Skeleton } from "ant-design-vue";
import { computed, ref } from "vue";
import { api, type Of, take } from "../api/client";
import { live } from "../api/live";
import DestinationState from "../parts/DestinationState.vue";
import Trouble from "../parts/Trouble.vue";
import { distance } from "../words";

const search = ref("");
const { data, problem } = live(
  async () => {
    const page = await take(api.GET("/api/v1/destinations", { params: { query: { limit: 500 } } }));
    return { items: page.items ?? [], at: Date.now() };
  },
  (topic) => /^(destination|account|feed|sheet)\./.test(topic),
);
const shown = computed(() =>
  (data.value?.items ?? []).filter((d) =>
    `${d.name} ${d.family} ${d.system ?? ""}`.toLowerCase().includes(search.value.toLowerCase()),
  ),
);
const where = (d: Of<"DestinationView">) => d.address || `${d.host} port ${d.port}`;
</script>

<template>
  <div class="row spread head">
    <h1>Destinations</h1>
    <span class="row">
      <input
        v-model="search"
        class="plain-input"
        type="search"
        placeholder="Name, family, system"
        aria-label="Search destinations"
      />
      <RouterLink to="/destinations/attach"><Button type="primary">Attach one</Button></RouterLink>
    </span>
  </div>
  <Trouble :problem="problem" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 8 }" />
  <p v-if="data && !data.items.length" class="sheet">
    No destinations yet. <RouterLink to="/destinations/attach">Attach one</RouterLink>, an SSH
    server or a system that a sheet describes.
  </p>
  <div v-else-if="data" class="sheet wide">
    <table class="plain-table">
      <thead>
        <tr>
          <th>Destination</th>
          <th>Family</th>
          <th>Where</th>
          <th>Accounts</th>
          <th>State</th>
          <th>Looked at</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in shown" :key="d.id">
          <td>
            <RouterLink :to="`/destinations/${d.id}`">{{ d.name }}</RouterLink>
          </td>
          <td>
            {{ d.family?.replace("_", " ")
            }}<span v-if="d.system" class="quiet"> · {{ d.system }}</span>
          </td>
          <td class="mono">{{ where(d) }}</td>
          <td>{{ d.accounts }}</td>
          <td><DestinationState :destination="d" /></td>
          <td class="quiet nowrap">{{ distance(d.health?.at, data.at) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="!shown.length" class="quiet">None fits “{{ search }}”.</p>
  </div>
</template>

<style scoped>
td.mono {
  overflow-wrap: anywhere;
}
</style>
