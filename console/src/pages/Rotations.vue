<script setup lang="ts">
import { Skeleton } from "ant-design-vue";
import { computed } from "vue";
import { api, take } from "../api/client";
import { live } from "../api/live";
import RotationState from "../parts/RotationState.vue";
import StageTrack from "../parts/StageTrack.vue";
import Trouble from "../parts/Trouble.vue";
import { moment } from "../words";

const { data, problem } = live(
  () => take(api.GET("/api/v1/rotations", { params: { query: { limit: 100 } } })),
  (topic) => topic.startsWith("rotation."),
);
const running = computed(() => (data.value?.items ?? []).filter((r) => !r.outcome));
const over = computed(() => (data.value?.items ?? []).filter((r) => r.outcome));
</script>

<template>
  <h1>Rotations</h1>
  <Trouble :problem="problem" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 8 }" />
  <template v-if="data">
    <section class="sheet">
      <h2>On their way</h2>
      <p v-if="!running.length" class="quiet none">
        None. Rotate a key from <RouterLink to="/keys">its page</RouterLink>; keys that fall due are
        rotated by themselves.
      </p>
      <div v-for="r in running" :key="r.id" class="one">
        <div class="row spread">
          <RouterLink :to="`/rotations/${r.id}`">{{ r.identity }}</RouterLink>
          <span class="quiet">{{ r.byItself ? "by itself: " : "" }}{{ r.reason }}</span>
        </div>
        <StageTrack
          :stage="r.stage"
          :direction="r.direction"
          :outcome="r.outcome"
          :waiting="r.needsPerson"
        />
        <div v-if="r.waitingFor" :class="r.needsPerson ? 'person' : 'quiet'">
          {{ r.needsPerson ? "! " : "… " }}{{ r.waitingFor }}
        </div>
      </div>
    </section>
    <section class="sheet wide">
      <h2>Over</h2>
      <p v-if="!over.length" class="quiet none">None yet.</p>
      <table v-else class="plain-table">
        <thead>
          <tr>
            <th>Identity</th>
            <th>Outcome</th>
            <th>Started</th>
            <th>Ended</th>
            <th>Why</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in over" :key="r.id">
            <td>
              <RouterLink :to="`/rotations/${r.id}`">{{ r.identity }}</RouterLink>
            </td>
            <td><RotationState :rotation="r" /></td>
            <td>{{ moment(r.startedAt ?? r.plannedAt) }}</td>
            <td>{{ moment(r.endedAt) }}</td>
            <td class="quiet">{{ r.reason }}</td>
          </tr>
        </tbody>
      </table>
    </section>
  </template>
</template>

<style scoped>
.one {
  padding: 10px 0;
}
.one .row {
  margin-bottom: 8px;
}
.person {
  color: var(--amber-ink);
  font-weight: 600;
}
.none {
  margin: 0;
}
</style>
