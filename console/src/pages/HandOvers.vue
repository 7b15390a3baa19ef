<script setup lang="ts">
import { Button, Skeleton } from "ant-design-vue";
import { ref } from "vue";
import { api, type Of, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import Trouble from "../parts/Trouble.vue";
import { distance, moment } from "../words";

const { data, problem, reload } = live(
  async () => {
    const [page, identities] = await Promise.all([
      take(api.GET("/api/v1/hand-overs", { params: { query: { ended: true, limit: 100 } } })),
      take(api.GET("/api/v1/identities", { params: { query: { limit: 500 } } })),
    ]);
    return { items: page.items ?? [], identities: identities.items ?? [], at: Date.now() };
  },
  (topic) => /^(hand-over|placement|rotation)\./.test(topic),
);
const { busy, refused, attempt } = useAttempt();
const opened = ref("");
const pack = ref<Of<"PackageView">>();
const fingerprint = ref("");
const identity = ref("");
const reason = ref("");

const KINDS: Record<string, string> = {
  register: "register a key",
  "take-out": "take a key out",
  supply: "put a private key in place",
  "their-key": "give us their key",
};
const STATES: Record<string, string> = {
  open: "… waits for them",
  replied: "! replied, not proven yet",
  confirmed: "✓ confirmed",
  "given-up": "· given up",
};

function open(id: string): void {
  opened.value = opened.value === id ? "" : id;
  pack.value = undefined;
}
const packed = (id: string) =>
  attempt(async () => {
    pack.value = await take(
      api.POST("/api/v1/hand-overs/{id}/package", { params: { path: { id } } }),
    );
  });
const accept = (id: string) =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/hand-overs/{id}/accept", {
        params: { path: { id } },
        body: { fingerprint: fingerprint.value, identityId: identity.value },
      }),
    );
    await reload();
  });
const giveUp = (id: string) =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/hand-overs/{id}/give-up", {
        params: { path: { id } },
        body: { reason: reason.value },
      }),
    );
    await reload();
  });
</script>

<template>
  <div class="row spread head"><h1>Hand-overs</h1></div>
  <Trouble :problem="problem ?? refused" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 6 }" />
  <p v-if="data && !data.items.length" class="sheet">
    Nobody elsewhere is asked for anything. Place a key on a partner's account, and the package for
    them is here.
  </p>
  <div v-else-if="data" class="sheet wide">
    <table class="plain-table">
      <thead>
        <tr>
          <th>To</th>
          <th>Asked to</th>
          <th>Where</th>
          <th>Due</th>
          <th>State</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="h in data.items" :key="h.id">
          <tr>
            <td>
              <button
                type="button"
                class="link"
                :aria-expanded="opened === h.id"
                @click="open(h.id ?? '')"
              >
                {{ h.toWhom }}
              </button>
            </td>
            <td>{{ KINDS[h.kind ?? ""] }}</td>
            <td>{{ h.about }} · {{ h.destination }}</td>
            <td class="nowrap">{{ distance(h.dueAt, data.at) }}</td>
            <td class="nowrap" :class="h.state">{{ STATES[h.state ?? ""] }}</td>
          </tr>
          <tr v-if="opened === h.id">
            <td colspan="5">
              <p>{{ h.whatToDo }}</p>
              <dl class="facts">
                <dt>Reached by</dt>
                <dd>{{ h.contact }}</dd>
                <template v-if="h.key">
                  <dt>Key</dt>
                  <dd class="mono">{{ h.key }}</dd>
                </template>
                <template v-if="h.reply">
                  <dt>Reply</dt>
                  <dd>“{{ h.reply }}”, {{ h.replyName }}, {{ moment(h.repliedAt) }}</dd>
                </template>
                <template v-if="h.replyFingerprint">
                  <dt>Their key</dt>
                  <dd class="mono">{{ h.replyFingerprint }}</dd>
                </template>
                <template v-if="h.lastTrial">
                  <dt>Last trial</dt>
                  <dd>{{ h.lastTrial }}</dd>
                </template>
                <dt>Reminders</dt>
                <dd>
                  {{ h.reminders
                  }}{{ h.state === "open" ? `, next ${distance(h.nextReminderAt, data.at)}` : "" }}
                </dd>
              </dl>
              <template v-if="h.state === 'open' || h.state === 'replied'">
                <div class="row">
                  <Button :loading="busy" @click="packed(h.id ?? '')">
                    Make the package, with a new link
                  </Button>
                  <input
                    v-model="reason"
                    class="plain-input"
                    aria-label="Why it is given up"
                    placeholder="why"
                  />
                  <Button :disabled="!reason.trim()" @click="giveUp(h.id ?? '')">Give up</Button>
                </div>
                <pre v-if="pack" class="package" tabindex="0" aria-label="Package">{{
                  pack.text
                }}</pre>
                <form
                  v-if="h.kind === 'their-key' && h.replyFingerprint"
                  class="row"
                  @submit.prevent="accept(h.id ?? '')"
                >
                  <label for="print">Fingerprint as they read it to you</label>
                  <input id="print" v-model="fingerprint" class="plain-input mono" />
                  <label for="whose">a key of</label>
                  <select id="whose" v-model="identity" class="plain-input">
                    <option v-for="i in data.identities" :key="i.id" :value="i.id">
                      {{ i.name }}
                    </option>
                  </select>
                  <Button html-type="submit" type="primary" :disabled="!fingerprint || !identity">
                    Compare, and place it
                  </Button>
                </form>
              </template>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.link {
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-decoration: underline dotted;
  cursor: pointer;
}
td .row {
  margin: 0.75rem 0;
}
.package {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  padding: 0.75rem;
  border: 1px solid var(--line);
  font-size: 0.8rem;
}
.replied {
  color: var(--amber-text, inherit);
}
</style>
