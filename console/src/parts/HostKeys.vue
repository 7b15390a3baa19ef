<script setup lang="ts">
import { Button } from "ant-design-vue";
import { ref } from "vue";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import Fingerprint from "./Fingerprint.vue";
import Trouble from "./Trouble.vue";
import { moment } from "../words";

const props = defineProps<{
  id: string;
  keys: Of<"HostKeyView">[];
  supplies: Of<"SupplyView">[];
}>();
const emit = defineEmits<{ changed: [] }>();
const { busy, refused, attempt } = useAttempt();
const pasted = ref("");
const reason = ref("");
const coming = ref("");
const until = ref("");
const path = { params: { path: { id: props.id } } };

const MEANS: Record<string, string> = {
  trusted: "✓ compared",
  announced: "→ announced",
  ending: "… ending",
  seen: "? only seen, not trusted",
};

const look = () =>
  attempt(async () => {
    await take(api.POST("/api/v1/destinations/{id}/looks", path));
    emit("changed");
  });

const confirm = () =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/destinations/{id}/host-keys/confirm", {
        ...path,
        body: { fingerprints: pasted.value.split("\n").filter(Boolean), reason: reason.value },
      }),
    );
    pasted.value = "";
    emit("changed");
  });

const announce = () =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/destinations/{id}/host-keys/announce", {
        ...path,
        body: {
          hostKeys: coming.value.split("\n").filter(Boolean),
          oldUntil: new Date(until.value).toISOString(),
          reason: reason.value,
        },
      }),
    );
    coming.value = "";
    emit("changed");
  });
</script>

<template>
  <section class="sheet" aria-labelledby="host-keys">
    <div class="row spread">
      <h2 id="host-keys">Host keys</h2>
      <Button :loading="busy" @click="look()">Look now</Button>
    </div>
    <Trouble :problem="refused" />
    <div class="wide">
      <table class="plain-table">
        <thead>
          <tr>
            <th>State</th>
            <th>Type</th>
            <th>Fingerprint</th>
            <th>Accepted until</th>
            <th>Last shown</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="key in keys" :key="key.fingerprint">
            <td class="nowrap" :class="key.state">{{ MEANS[key.state ?? ""] }}</td>
            <td>{{ key.type }}</td>
            <td><Fingerprint :value="key.fingerprint" /></td>
            <td>{{ moment(key.acceptedUntil) }}</td>
            <td class="quiet">{{ moment(key.seenAt) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="!keys.length" class="quiet">Nothing was looked at yet.</p>
    <label for="host-reason">How it was compared, or why it changes</label>
    <input id="host-reason" v-model="reason" class="plain-input line" />
    <div class="two">
      <form @submit.prevent="confirm()">
        <label for="host-pasted"
          >What its administrator read out or sent: fingerprint or line</label
        >
        <textarea id="host-pasted" v-model="pasted" class="plain-input mono line" rows="2" />
        <Button html-type="submit" :loading="busy" :disabled="!pasted || !reason">
          Compare and trust
        </Button>
      </form>
      <form @submit.prevent="announce()">
        <label for="host-coming">A change that was announced: the new key lines</label>
        <textarea id="host-coming" v-model="coming" class="plain-input mono line" rows="2" />
        <label for="host-until">The old ones are accepted until</label>
        <input id="host-until" v-model="until" class="plain-input" type="datetime-local" />
        <Button html-type="submit" :loading="busy" :disabled="!coming || !until || !reason">
          Take it in
        </Button>
      </form>
    </div>
    <template v-if="supplies.length">
      <h3>Told to the clients</h3>
      <ul>
        <li v-for="s in supplies" :key="s.id">
          <span v-if="s.doneAt">✓ {{ moment(s.doneAt) }}</span>
          <span v-else>… {{ s.reason ?? "about to be" }}</span>
          · known hosts beside <span class="mono">{{ s.seat }}</span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
  gap: 24px;
  margin-top: 12px;
}
.wide {
  margin-bottom: 12px;
}
.trusted {
  color: var(--green);
}
.seen,
.ending,
.announced {
  color: var(--amber-ink);
}
button {
  margin-top: 4px;
}
</style>
