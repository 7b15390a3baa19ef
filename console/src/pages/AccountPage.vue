<script setup lang="ts">
import { Skeleton } from "ant-design-vue";
import { computed } from "vue";
import { api, take } from "../api/client";
import { live } from "../api/live";
import Trouble from "../parts/Trouble.vue";
import { distance, moment } from "../words";

const props = defineProps<{ id: string }>();
const { data, problem } = live(
  async () => {
    const account = await take(
      api.GET("/api/v1/accounts/{id}", { params: { path: { id: props.id } } }),
    );
    const [placements, findings, uses, ties] = await Promise.all([
      take(api.GET("/api/v1/placements", { params: { query: { account: props.id } } })),
      take(api.GET("/api/v1/findings", { params: { query: { account: props.id, limit: 50 } } })),
      take(
        api.GET("/api/v1/destinations/{id}/uses", {
          params: { path: { id: account.destinationId ?? "" } },
        }),
      ),
      take(api.GET("/api/v1/ties")),
    ]);
    return {
      account,
      placements: placements.items ?? [],
      findings: findings.items ?? [],
      uses: (uses.items ?? []).filter((u) => u.known && u.account === account.login),
      ties: (ties.items ?? []).filter((t) => t.accountId === props.id),
      at: Date.now(),
    };
  },
  (topic) => /^(account|placement|finding|sweep|rotation|seat|feed)\./.test(topic),
);
const placementOf = (line: string | undefined) =>
  data.value?.placements.find((p) => p.line === line);
const modes = computed(() => {
  const a = data.value?.account;
  return a?.modeSeen && a.modeSeen !== a.signInMode
    ? `${a.signInMode}, but the server offers ${a.modeSeen}`
    : a?.signInMode;
});
</script>

<template>
  <Trouble :problem="problem" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 8 }" />
  <template v-if="data">
    <div class="row spread head">
      <h1>{{ data.account.login }}</h1>
      <RouterLink :to="`/destinations/${data.account.destinationId}`"
        >on {{ data.account.destination }}</RouterLink
      >
    </div>
    <section v-if="data.findings.length" class="sheet" aria-labelledby="differs">
      <h2 id="differs">What differs here</h2>
      <ul>
        <li v-for="f in data.findings" :key="f.id" :class="f.severity">
          {{ f.severity === "broken" ? "✗" : "!" }} {{ f.sentence }}
          <RouterLink :to="`/findings?search=${encodeURIComponent(f.key ?? f.account ?? '')}`"
            >settle it</RouterLink
          >
        </li>
      </ul>
    </section>
    <section class="sheet" aria-labelledby="facts">
      <h2 id="facts">How it is</h2>
      <dl class="facts">
        <dt>Signs in by</dt>
        <dd>
          {{ modes }}
          <span v-if="data.account.modeSeenAt" class="quiet"
            >(asked {{ distance(data.account.modeSeenAt, data.at) }})</span
          >
        </dd>
        <dt>Keys are kept by</dt>
        <dd>
          {{
            data.account.keptBy === "source"
              ? `another source: ${data.account.keptSource}`
              : data.account.keptBy
          }}
        </dd>
        <dt>Holds</dt>
        <dd>{{ data.account.registered?.length ?? 0 }} of {{ data.account.holds }} keys</dd>
        <dt>Read</dt>
        <dd>{{ distance(data.account.readAt, data.at) }}</dd>
      </dl>
    </section>
    <section class="sheet wide" aria-labelledby="there">
      <h2 id="there">What stands there</h2>
      <p v-if="!data.account.registered?.length" class="quiet">No key was found there.</p>
      <table v-else class="plain-table">
        <thead>
          <tr>
            <th>Entry</th>
            <th>In the books</th>
            <th>State</th>
            <th>Ends</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in data.account.registered" :key="r.line">
            <td class="mono">{{ r.line }}</td>
            <td>
              <RouterLink v-if="placementOf(r.line)" :to="`/keys/${placementOf(r.line)?.keyId}`">{{
                placementOf(r.line)?.title
              }}</RouterLink>
              <span v-else>! not as it stands</span>
            </td>
            <td>{{ placementOf(r.line)?.state }}</td>
            <td class="quiet nowrap">{{ moment(r.endsAt) }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <div class="two">
      <section class="sheet" aria-labelledby="used">
        <h2 id="used">Used by</h2>
        <p v-if="!data.uses.length" class="quiet">No use was seen, or none is told.</p>
        <table v-else class="plain-table">
          <thead>
            <tr>
              <th>Key</th>
              <th>From</th>
              <th>Last</th>
              <th>Times</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="u in data.uses" :key="`${u.key} ${u.address}`">
              <td class="mono">{{ u.key?.slice(0, 19) }}…</td>
              <td class="mono">{{ u.address }}</td>
              <td class="nowrap">{{ distance(u.lastAt, data.at) }}</td>
              <td>{{ u.count }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section class="sheet" aria-labelledby="tied">
        <h2 id="tied">What breaks without it</h2>
        <p v-if="!data.ties.length" class="quiet">Nobody's tie is on record.</p>
        <ul>
          <li v-for="t in data.ties" :key="t.id">
            {{ t.integration }} by <span class="mono">{{ t.seat }}</span><br /><span class="quiet"
              >silent for {{ t.rhythm }} at most<template v-if="t.rhythmSeen"
                >, seen every {{ t.rhythmSeen }}</template
              >; one run {{ t.longestRun }} at most</span
            >
          </li>
        </ul>
      </section>
    </div>
  </template>
</template>

<style scoped>
td.mono {
  max-width: 34rem;
  overflow-wrap: anywhere;
  font-size: 0.8rem;
}
.broken {
  color: var(--red);
}
</style>
