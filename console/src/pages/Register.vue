<script setup lang="ts">
import { Button } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import ChangeLines from "../parts/ChangeLines.vue";
import Picker, { type Thing } from "../parts/Picker.vue";
import Trouble from "../parts/Trouble.vue";
import { said } from "../words";

const route = useRoute();
const router = useRouter();
const keys = ref<Thing[]>([]);
const accounts = ref<Thing[]>([]);
const title = ref("");
const sources = ref("");
const until = ref("");
const access = ref<Of<"Access">>("write");
const atOnce = ref(4);
const testFirst = ref(true);
const reason = ref("");
const ticket = ref("");
const steps = ref<Of<"RehearsedLineView">[]>();
const { busy, refused, attempt } = useAttempt();

const key = (k: Of<"KeyView">): Thing => ({
  id: k.id ?? "",
  name: k.identity ?? k.comment ?? "nobody's key",
  note: `${(k.type ?? "").replace("ssh-", "")} ${(k.fingerprint ?? "").slice(0, 15)}…`,
});
const findKeys = async (search: string) => {
  const page = await take(api.GET("/api/v1/keys", { params: { query: { search, limit: 100 } } }));
  return { items: (page.items ?? []).map(key), more: !!page.next };
};
const findAccounts = async (search: string) => {
  const page = await take(
    api.GET("/api/v1/accounts", { params: { query: { search, limit: 100 } } }),
  );
  return {
    items: (page.items ?? []).map((a) => ({
      id: a.id ?? "",
      name: `${a.login}@${a.destination}`,
      note: `holds ${a.registered?.length ?? 0} of ${a.holds}`,
    })),
    more: !!page.next,
  };
};

void attempt(async () => {
  if (typeof route.query.key === "string") {
    const found = await take(
      api.GET("/api/v1/keys/{id}", { params: { path: { id: route.query.key } } }),
    );
    keys.value = [key(found)];
  }
});

const request = computed(() => ({
  keys: { named: keys.value.map((k) => k.id) },
  accounts: { named: accounts.value.map((a) => a.id) },
  terms: {
    title: title.value.trim() || undefined,
    access: access.value,
    sources: sources.value.split(/[,\s]+/).filter(Boolean),
    endsAt: until.value ? `${until.value}T00:00:00Z` : undefined,
  },
  atOnce: atOnce.value,
  testFirst: testFirst.value,
  reason: reason.value,
  ticket: ticket.value.trim() || undefined,
}));
// What was rehearsed is what is begun: any change wants to be seen again.
watch([keys, accounts, title, sources, until, access], () => (steps.value = undefined));
const rehearse = () =>
  attempt(async () => {
    steps.value = await take(api.POST("/api/v1/registrations/rehearsal", { body: request.value }));
  });
const begin = () =>
  attempt(async () => {
    const begun = await take(api.POST("/api/v1/registrations", { body: request.value }));
    await router.push(`/registrations/${begun.id}`);
  });
const possible = computed(
  () => (steps.value ?? []).filter((s) => s.state === "waiting" || s.state === "asked").length,
);
const sign = (state: string | undefined) =>
  ({ waiting: "+ place", asked: "+ ask", "there-already": "= there already" })[state ?? ""] ??
  `✗ ${said(state)}`;
</script>

<template>
  <div class="row spread head">
    <h1>Place keys on accounts</h1>
    <RouterLink to="/registrations">Registrations so far</RouterLink>
  </div>
  <div class="columns">
    <Picker
      v-model="keys"
      what="Keys"
      hint="Identity, team, comment, fingerprint"
      :find="findKeys"
    />
    <Picker
      v-model="accounts"
      what="Accounts"
      hint="Part of LOGIN@DESTINATION"
      :find="findAccounts"
    />
  </div>
  <form class="sheet" @submit.prevent="rehearse()">
    <h2>On what terms</h2>
    <div class="terms">
      <label for="title">Title</label>
      <input id="title" v-model="title" class="plain-input" placeholder="the key's comment" />
      <label for="sources">Good from</label>
      <input id="sources" v-model="sources" class="plain-input" placeholder="any address" />
      <label for="access">Access</label>
      <select id="access" v-model="access" class="plain-input">
        <option value="write">write</option>
        <option value="read">read</option>
      </select>
      <label for="until">Ends on</label>
      <input id="until" v-model="until" class="plain-input" type="date" />
      <label for="at-once">At once on one destination</label>
      <input
        id="at-once"
        v-model.number="atOnce"
        class="plain-input"
        type="number"
        min="1"
        max="50"
      />
      <label for="ticket">Ticket</label>
      <input id="ticket" v-model="ticket" class="plain-input" />
      <label for="reason">Because</label>
      <input id="reason" v-model="reason" class="plain-input" placeholder="kept in the journal" />
      <label class="both">
        <input v-model="testFirst" type="checkbox" /> place and try one before the others
      </label>
    </div>
    <div class="row">
      <Button html-type="submit" :loading="busy" :disabled="!keys.length || !accounts.length">
        Show what would be changed
      </Button>
      <Button
        v-if="possible"
        type="primary"
        :loading="busy"
        :disabled="!reason.trim()"
        @click="begin()"
      >
        Place {{ possible }} of {{ steps?.length }}
      </Button>
      <span v-if="possible && !reason.trim()" class="quiet">Say why first.</span>
    </div>
  </form>
  <Trouble :problem="refused" />
  <section v-if="steps" class="sheet" role="status">
    <h2>The exact changes; nothing was touched yet</h2>
    <p v-if="!possible">Nothing of this can be placed, or everything is there already.</p>
    <div v-for="s in steps" :key="s.number" class="change">
      <div>
        <strong :class="{ bad: s.state === 'refused' }">{{ sign(s.state) }}</strong>
        {{ s.account }} <span class="quiet">{{ s.title }}</span>
      </div>
      <div v-if="s.reason" class="bad">{{ s.reason }}</div>
      <div v-for="c in s.crossings" :key="c" class="person">! {{ c }}</div>
      <ChangeLines v-if="s.change" :change="s.change" />
    </div>
  </section>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 16px;
}
.terms {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr) max-content minmax(0, 1fr);
  gap: 8px 14px;
  align-items: center;
  margin-bottom: 12px;
}
.both {
  grid-column: span 2;
}
.change {
  padding: 8px 0;
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}
.bad {
  color: var(--red);
}
.person {
  color: var(--amber-ink);
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
  .terms {
    grid-template-columns: max-content minmax(0, 1fr);
  }
}
</style>
