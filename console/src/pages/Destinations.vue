<script setup lang="ts">
import { Skeleton } from "ant-design-vue";
import { computed } from "vue";
import { api, take } from "../api/client";
import { live } from "../api/live";
import Fingerprint from "../parts/Fingerprint.vue";
import Trouble from "../parts/Trouble.vue";
import { distance } from "../words";

const { data, problem } = live(
  async () => {
    const [destinations, accounts] = await Promise.all([
      take(api.GET("/api/v1/destinations", { params: { query: { limit: 500 } } })),
      take(api.GET("/api/v1/accounts")),
    ]);
    return { destinations, accounts, at: Date.now() };
  },
  (topic) => /^(destination|account|placement|rotation|feed)\./.test(topic),
);
const shown = computed(() =>
  (data.value?.destinations.items ?? []).map((destination) => ({
    destination,
    accounts: (data.value?.accounts.items ?? []).filter((a) => a.destinationId === destination.id),
  })),
);
</script>

<template>
  <h1>Destinations</h1>
  <Trouble :problem="problem" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 8 }" />
  <p v-if="data && !shown.length" class="sheet">
    No destinations yet. Attach one:
    <span class="mono">./tolvin destination add NAME --host HOST --host-key FILE</span>
  </p>
  <section v-for="{ destination, accounts } in shown" :key="destination.id" class="sheet">
    <div class="row spread">
      <h2>{{ destination.name }}</h2>
      <span v-if="destination.stoppedBecause" class="bad">✗ stopped</span>
      <span v-else-if="destination.feed?.failure" class="warn">! its log cannot be read</span>
      <span v-else class="good">✓ in order</span>
    </div>
    <p v-if="destination.stoppedBecause" class="bad" role="alert">
      {{ destination.stoppedBecause }}
    </p>
    <p v-if="destination.feed?.failure" class="warn">{{ destination.feed.failure }}</p>
    <div class="columns">
      <dl class="facts">
        <dt>Address</dt>
        <dd class="mono">{{ destination.host }} port {{ destination.port }}</dd>
        <dt>Host key</dt>
        <dd>
          <div v-for="key in destination.hostKeys" :key="key"><Fingerprint :value="key" /></div>
        </dd>
        <dt>Signs in as</dt>
        <dd>{{ destination.managementLogin ?? "each account itself" }}</dd>
        <dt>Keys stand in</dt>
        <dd class="mono">{{ destination.keysPath }}</dd>
        <dt>Uses seen</dt>
        <dd>
          {{
            destination.feed?.readTo
              ? `log read ${distance(destination.feed.readTo, data?.at ?? 0)}`
              : "not reported"
          }}
        </dd>
      </dl>
      <div class="wide">
        <table class="plain-table">
          <thead>
            <tr>
              <th>Account</th>
              <th>Sign-in</th>
              <th>Keys found</th>
              <th>Read</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="account in accounts" :key="account.id">
              <td>{{ account.login }}</td>
              <td>{{ account.signInMode }}</td>
              <td>
                {{ account.readAt ? `${account.registered?.length} of ${account.holds}` : "" }}
              </td>
              <td class="quiet">{{ distance(account.readAt, data?.at ?? 0) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
  </section>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  gap: 24px;
}
.good {
  color: var(--green);
}
.warn {
  color: var(--amber-ink);
}
.bad {
  color: var(--red);
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
