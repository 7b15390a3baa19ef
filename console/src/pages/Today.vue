<script setup lang="ts">
import { Skeleton } from "ant-design-vue";
import { computed } from "vue";
import { api, take } from "../api/client";
import { anything, live } from "../api/live";
import RotationState from "../parts/RotationState.vue";
import StageTrack from "../parts/StageTrack.vue";
import Trouble from "../parts/Trouble.vue";
import { distance, moment } from "../words";

const { data: today, problem } = live(() => take(api.GET("/api/v1/today")), anything);
const now = computed(() => Date.parse(today.value?.now ?? ""));

function target(kind: string | undefined, subject: string | undefined): string {
  const pages: Record<string, string> = {
    rotation: `/rotations/${subject}`,
    registration: `/registrations/${subject}`,
    overdue: subject ? `/keys/${subject}` : "/keys",
    "hand-over": "/hand-overs",
    finding: "/findings?severity=critical",
    host: "/destinations",
    change: subject ? `/rotations/${subject}` : "/findings",
  };
  return pages[kind ?? ""] ?? (subject ? `/destinations/${subject}` : "/destinations");
}
</script>

<template>
  <h1>Today</h1>
  <Trouble :problem="problem" />
  <Skeleton v-if="!today && !problem" active :paragraph="{ rows: 8 }" />
  <template v-if="today">
    <section class="sheet" :class="{ person: today.needs?.length }">
      <h2>Needs a person</h2>
      <p v-if="!today.needs?.length" class="quiet none">
        ✓ Nothing. {{ today.keys }} keys are registered.
      </p>
      <ul v-else class="needs">
        <li v-for="need in today.needs" :key="`${need.kind} ${need.subject}`">
          <span class="sign" aria-hidden="true">!</span>
          <div>
            <RouterLink :to="target(need.kind, need.subject)">{{ need.title }}</RouterLink>
            <div>{{ need.reason }}</div>
          </div>
        </li>
      </ul>
    </section>
    <section class="sheet">
      <h2>On its way</h2>
      <p v-if="!today.running?.length" class="quiet none">No rotation runs now.</p>
      <div v-for="rotation in today.running" :key="rotation.id" class="running">
        <div class="row spread">
          <RouterLink :to="`/rotations/${rotation.id}`">{{ rotation.identity }}</RouterLink>
          <span class="quiet">{{ rotation.byItself ? "started by itself" : rotation.reason }}</span>
        </div>
        <StageTrack
          :stage="rotation.stage"
          :direction="rotation.direction"
          :outcome="rotation.outcome"
          :waiting="rotation.needsPerson"
        />
        <div v-if="rotation.waitingFor" class="quiet">… {{ rotation.waitingFor }}</div>
      </div>
    </section>
    <div class="columns">
      <section class="sheet">
        <h2>Done since yesterday</h2>
        <p v-if="!today.doneSinceYesterday?.length" class="quiet none">Nothing yet.</p>
        <table v-else class="plain-table">
          <thead>
            <tr>
              <th>Identity</th>
              <th>Outcome</th>
              <th>When</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="{ rotation, times } in today.doneSinceYesterday" :key="rotation.id">
              <td>
                <RouterLink :to="`/rotations/${rotation.id}`">{{ rotation.identity }}</RouterLink>
              </td>
              <td><RotationState :rotation="rotation" /></td>
              <td class="quiet" :title="moment(rotation.endedAt)">
                {{ distance(rotation.endedAt, now) }}{{ rotation.byItself ? ", by itself" : ""
                }}{{ times > 1 ? `, ${times} times` : "" }}
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section class="sheet">
        <h2>Due in the next 30 days</h2>
        <p v-if="!today.due?.length" class="quiet none">Nothing is due.</p>
        <table v-else class="plain-table">
          <thead>
            <tr>
              <th>Identity</th>
              <th>Starts</th>
              <th>Why then</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="key in today.due" :key="key.keyId">
              <td>
                <RouterLink :to="`/keys/${key.keyId}`">{{ key.identity }}</RouterLink>
              </td>
              <td class="soon" :title="moment(key.startAt)">{{ distance(key.startAt, now) }}</td>
              <td class="quiet">{{ key.reason }}</td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>
  </template>
</template>

<style scoped>
.person {
  border-left: 4px solid var(--amber);
}
.none {
  margin: 0;
}
.needs {
  list-style: none;
  margin: 0;
  padding: 0;
}
.needs li {
  display: flex;
  gap: 12px;
  padding: 6px 0;
}
.sign {
  flex: none;
  width: 22px;
  height: 22px;
  border-radius: 50%;
  background: var(--amber);
  color: #1d1300;
  text-align: center;
  font-weight: 700;
}
.soon {
  white-space: nowrap;
}
.running {
  padding: 10px 0;
}
.running .row {
  margin-bottom: 8px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 16px;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
