<script setup lang="ts">
import { Skeleton } from "ant-design-vue";
import { computed } from "vue";
import { api, take } from "../api/client";
import { live } from "../api/live";
import Trouble from "../parts/Trouble.vue";
import { distance, moment, seconds, span } from "../words";

const props = defineProps<{ id: string }>();
const { data, problem } = live(
  async () => {
    const account = await take(
      api.GET("/api/v1/accounts/{id}", { params: { path: { id: props.id } } }),
    );
    const [placements, findings, uses, ties, seats] = await Promise.all([
      take(api.GET("/api/v1/placements", { params: { query: { account: props.id } } })),
      take(api.GET("/api/v1/findings", { params: { query: { account: props.id, limit: 50 } } })),
      take(
        api.GET("/api/v1/destinations/{id}/uses", {
          params: {
            path: { id: account.destinationId ?? "" },
            query: { account: props.id },
          },
        }),
      ),
      take(api.GET("/api/v1/ties", { params: { query: { account: props.id, limit: 500 } } })),
      take(api.GET("/api/v1/seats", { params: { query: { account: props.id, limit: 500 } } })),
    ]);
    return {
      account,
      placements: placements.items ?? [],
      findings: findings.items ?? [],
      uses: uses.items ?? [],
      seats: new Map((seats.items ?? []).map((s) => [s.id, s])),
      ties: ties.items ?? [],
      at: Date.now(),
    };
  },
  (topic) => /^(account|placement|finding|sweep|rotation|seat|feed)\./.test(topic),
);
const SIGNS: Record<string, string> = { critical: "✗", major: "!", minor: "·" };
const placementOf = (line: string | undefined) =>
  data.value?.placements.find((p) => p.line === line);
const said = (word: boolean | undefined) =>
  word === undefined || word === null ? "nobody said" : word ? "yes" : "no";
/** What was seen, with a sign where it is more than anybody said. */
const against = (told: string | undefined, seen: string | undefined) =>
  seen === undefined || seen === null
    ? "not yet"
    : `${seconds(seen) > seconds(told) ? "! " : ""}${span(seen)}`;
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
          {{ SIGNS[f.severity ?? ""] }} {{ f.sentence }}
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
        <dt>Keys are managed by</dt>
        <dd>
          {{
            data.account.managedBy === "another-source"
              ? `another source: ${data.account.otherSource}`
              : { tolvin: "Tolvin", shared: "Tolvin, and others beside it" }[
                  data.account.managedBy ?? ""
                ]
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
            <th>On record</th>
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
            <td class="quiet nowrap">
              {{ r.ignored ? "! the key may not be let in" : moment(r.endsAt) }}
            </td>
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
        <div v-for="t in data.ties" :key="t.id" class="tie">
          {{ t.integration }} by <span class="mono">{{ t.seat }}</span>
          <table class="plain-table">
            <thead>
              <tr>
                <th></th>
                <th>Said</th>
                <th>Seen</th>
              </tr>
            </thead>
            <tbody>
              <tr>
                <td>Longest silence</td>
                <td>{{ span(t.expectedInterval) }}</td>
                <td>{{ against(t.expectedInterval, t.intervalSeen) }}</td>
              </tr>
              <tr>
                <td>Longest session</td>
                <td>{{ span(t.longestSession) }}</td>
                <td>{{ against(t.longestSession, t.longestSessionSeen) }}</td>
              </tr>
              <tr>
                <td>Goes on after a refusal</td>
                <td>{{ said(data.seats.get(t.seatId)?.fallsBack) }}</td>
                <td>
                  {{
                    data.seats.get(t.seatId)?.fallsBackSeenAt
                      ? `yes, ${distance(data.seats.get(t.seatId)?.fallsBackSeenAt, data.at)}`
                      : "not yet"
                  }}
                </td>
              </tr>
              <tr>
                <td>Takes effect</td>
                <td>{{ data.seats.get(t.seatId)?.takesEffect?.replaceAll("_", " ") }}</td>
                <td>{{ distance(data.seats.get(t.seatId)?.effectAt, data.at) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
    </div>
  </template>
</template>

<style scoped>
td.mono {
  max-width: 34rem;
  white-space: normal;
  overflow-wrap: anywhere;
  font-size: 0.8rem;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.critical {
  color: var(--red);
}
.tie {
  margin-bottom: 0.75rem;
}
</style>
