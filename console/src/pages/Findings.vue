<script setup lang="ts">
import { Button, Skeleton } from "ant-design-vue";
import { computed, onScopeDispose, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, type Of, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import Trouble from "../parts/Trouble.vue";
import { distance, moment } from "../words";

const route = useRoute();
const router = useRouter();
const asked = (name: string): string => String(route.query[name] ?? "");
const state = computed(() => asked("state") || "open");
const kind = computed(() => asked("kind"));
const severity = computed(() => asked("severity"));
const destination = computed(() => asked("destination"));
const search = ref(asked("search"));
const picked = ref<Set<string>>(new Set());
const opened = ref("");
const more = ref<Of<"FindingView">[]>([]);
const next = ref<string>();

const query = () => ({
  state: state.value as Of<"FindingState">,
  kind: (kind.value || undefined) as Of<"FindingKind"> | undefined,
  severity: (severity.value || undefined) as Of<"Severity"> | undefined,
  destination: destination.value || undefined,
  search: asked("search") || undefined,
});

let again: ReturnType<typeof setTimeout> | undefined;
onScopeDispose(() => clearTimeout(again));
const { data, problem, reload } = live(
  async () => {
    const [page, groups, destinations, identities, sweeps] = await Promise.all([
      take(api.GET("/api/v1/findings", { params: { query: { ...query(), limit: 50 } } })),
      take(
        api.GET("/api/v1/findings/groups", {
          params: { query: { state: query().state, destination: destination.value || undefined } },
        }),
      ),
      take(api.GET("/api/v1/destinations", { params: { query: { limit: 500 } } })),
      take(api.GET("/api/v1/identities", { params: { query: { limit: 500 } } })),
      take(api.GET("/api/v1/sweeps", { params: { query: { limit: 1 } } })),
    ]);
    more.value = [];
    next.value = page.next;
    clearTimeout(again);
    if (sweeps.items?.[0]?.state === "running") {
      again = setTimeout(() => void reload(), 2000); // its progress is told by nobody
    }
    return {
      items: page.items ?? [],
      groups,
      destinations: destinations.items ?? [],
      identities: identities.items ?? [],
      sweep: (sweeps.items ?? [])[0],
      at: Date.now(),
    };
  },
  (topic) => /^(finding|sweep|placement)\./.test(topic),
);
watch(
  () => route.query,
  () => {
    picked.value = new Set();
    void reload();
  },
);
const items = computed(() => [...(data.value?.items ?? []), ...more.value]);
const total = computed(() => (data.value?.groups ?? []).reduce((n, g) => n + (g.count ?? 0), 0));

async function loadMore(): Promise<void> {
  const page = await take(
    api.GET("/api/v1/findings", {
      params: { query: { ...query(), limit: 200, after: next.value } },
    }),
  );
  more.value = [...more.value, ...(page.items ?? [])];
  next.value = page.next;
}

const only = (change: Record<string, string>) =>
  router.replace({ query: { ...route.query, ...change } });
const mark = (word: string | undefined) =>
  ({ critical: "✗ critical", major: "! major", minor: "· minor" })[word ?? ""] ?? word;

function pick(id: string): void {
  const set = new Set(picked.value);
  if (!set.delete(id)) {
    set.add(id);
  }
  picked.value = set;
  steps.value = undefined;
}
const pickAll = () => {
  const all = items.value.every((f) => picked.value.has(f.id ?? ""));
  picked.value = new Set(all ? [] : items.value.map((f) => f.id ?? ""));
  steps.value = undefined;
};

const ACTIONS: Of<"Action">[] = ["adopt", "restore", "withdraw", "accept"];
const actions = computed(() => {
  const chosen = items.value.filter((f) => picked.value.has(f.id ?? ""));
  return ACTIONS.filter((d) => chosen.some((f) => f.actions?.includes(d)));
});
const action = ref<Of<"Action">>("adopt");
watch(actions, (all) => {
  if (!all.includes(action.value)) {
    action.value = all[0] ?? "adopt";
  }
});
const identity = ref("suggestion");
const until = ref("");
const reason = ref("");
const overrule = ref(false);
const steps = ref<Of<"SettlingStepView">[]>();
const done = ref("");
const { busy, refused, attempt } = useAttempt();

const settling = () => ({
  action: action.value,
  ids: [...picked.value],
  reason: reason.value,
  identityId:
    action.value === "adopt" && !["", "suggestion"].includes(identity.value)
      ? identity.value
      : undefined,
  bySuggestion: action.value === "adopt" && identity.value === "suggestion",
  until: action.value === "accept" && until.value ? `${until.value}T00:00:00Z` : undefined,
  overrule: overrule.value,
});
const preview = () =>
  attempt(async () => {
    done.value = "";
    steps.value = await take(api.POST("/api/v1/findings/preview", { body: settling() }));
  });
const settle = () =>
  attempt(async () => {
    const result = await take(api.POST("/api/v1/findings/settle", { body: settling() }));
    const failed = result.filter((s) => !s.possible);
    done.value = `${result.length - failed.length} settled, ${failed.length} not.`;
    steps.value = failed.length ? failed : undefined;
    picked.value = new Set();
    await reload();
  });
const sweep = () =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/sweeps", { body: { destinationId: destination.value || undefined } }),
    );
    await reload();
  });
</script>

<template>
  <div class="row spread head">
    <h1>Findings</h1>
    <span class="row">
      <span v-if="data?.sweep" class="quiet">
        {{
          data.sweep.state === "running"
            ? `sweep running: ${data.sweep.read} of ${(data.sweep.read ?? 0) + (data.sweep.due ?? 0) + (data.sweep.failed ?? 0)} accounts`
            : `last sweep ${distance(data.sweep.endedAt, data.at)}, ${data.sweep.read} accounts read`
        }}
      </span>
      <Button :loading="busy" @click="sweep()">Sweep now</Button>
    </span>
  </div>
  <Trouble :problem="problem ?? refused" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 8 }" />
  <div v-if="data" class="columns">
    <nav class="sheet groups" aria-label="Kinds of findings">
      <label for="state">State</label>
      <select
        id="state"
        class="plain-input"
        :value="state"
        @change="only({ state: ($event.target as HTMLSelectElement).value })"
      >
        <option value="open">open</option>
        <option value="accepted">accepted</option>
        <option value="settled">settled</option>
      </select>
      <label for="at">Destination</label>
      <select
        id="at"
        class="plain-input"
        :value="destination"
        @change="only({ destination: ($event.target as HTMLSelectElement).value })"
      >
        <option value="">all</option>
        <option v-for="d in data.destinations" :key="d.id" :value="d.id">{{ d.name }}</option>
      </select>
      <button type="button" :class="{ now: !kind }" @click="only({ kind: '', severity: '' })">
        <span>everything</span><span>{{ total }}</span>
      </button>
      <button
        v-for="g in data.groups"
        :key="`${g.kind} ${g.severity}`"
        type="button"
        :class="[g.severity, { now: kind === g.kind && severity === g.severity }]"
        @click="only({ kind: g.kind ?? '', severity: g.severity ?? '' })"
      >
        <span>{{ mark(g.severity)?.charAt(0) }} {{ g.title }}</span
        ><span>{{ g.count }}</span>
      </button>
    </nav>
    <div class="rest">
      <form class="row" @submit.prevent="only({ search })">
        <input
          v-model="search"
          class="plain-input"
          type="search"
          placeholder="Key, account, words of a line"
          aria-label="Search findings"
        />
      </form>
      <p v-if="!items.length" class="sheet">
        {{
          data.sweep
            ? "Nothing differs from the books here."
            : "Nothing was read yet. Sweep now to see what is really there."
        }}
      </p>
      <div v-else class="sheet wide">
        <table class="plain-table">
          <thead>
            <tr>
              <th v-if="state !== 'settled'">
                <input type="checkbox" aria-label="Pick all shown" @change="pickAll()" />
              </th>
              <th>How bad</th>
              <th>What</th>
              <th>Where</th>
              <th>Since</th>
            </tr>
          </thead>
          <tbody>
            <template v-for="f in items" :key="f.id">
              <tr>
                <td v-if="state !== 'settled'">
                  <input
                    type="checkbox"
                    :checked="picked.has(f.id ?? '')"
                    :aria-label="`Pick ${f.title}`"
                    @change="pick(f.id ?? '')"
                  />
                </td>
                <td class="nowrap" :class="f.severity">{{ mark(f.severity) }}</td>
                <td>
                  <button
                    type="button"
                    class="link"
                    :aria-expanded="opened === f.id"
                    @click="opened = opened === f.id ? '' : (f.id ?? '')"
                  >
                    {{ f.sentence }}
                  </button>
                  <span v-if="f.cameBack" class="tag">came back {{ f.cameBack }}×</span>
                  <span v-if="f.settledBy" class="tag">{{ f.settledBy }}</span>
                </td>
                <td>
                  <RouterLink v-if="f.accountId" :to="`/accounts/${f.accountId}`">{{
                    f.account
                  }}</RouterLink>
                  <RouterLink v-else :to="`/destinations/${f.destinationId}`">{{
                    f.destination
                  }}</RouterLink>
                </td>
                <td class="quiet nowrap">{{ distance(f.firstSeenAt, data.at) }}</td>
              </tr>
              <tr v-if="opened === f.id" class="evidence">
                <td :colspan="state === 'settled' ? 4 : 5">
                  <pre tabindex="0" aria-label="What was seen">{{ f.evidence }}</pre>
                  <p>{{ f.remedy }}</p>
                  <p v-if="f.suggestion">Its comment suggests: {{ f.suggestion }}.</p>
                  <p v-if="f.acceptedUntil" class="quiet">
                    Accepted until {{ moment(f.acceptedUntil) }}: {{ f.acceptedBecause }}
                  </p>
                  <p v-if="f.settledBecause" class="quiet">{{ f.settledBecause }}</p>
                </td>
              </tr>
            </template>
          </tbody>
        </table>
        <Button v-if="next" @click="loadMore()">Show more</Button>
      </div>
      <p v-if="done" role="status" class="sheet">{{ done }}</p>
      <form v-if="picked.size" class="sheet settle" @submit.prevent="preview()">
        <h2>Settle {{ picked.size }} {{ picked.size === 1 ? "finding" : "findings" }}</h2>
        <div class="row">
          <label for="action">By</label>
          <select id="action" v-model="action" class="plain-input" @change="steps = undefined">
            <option v-for="d in actions" :key="d" :value="d">{{ d }}</option>
          </select>
          <template v-if="action === 'adopt'">
            <label for="whose">as a key of</label>
            <select id="whose" v-model="identity" class="plain-input">
              <option value="suggestion">whom its comment suggests</option>
              <option value="">nobody yet</option>
              <option v-for="i in data.identities" :key="i.id" :value="i.id">{{ i.name }}</option>
            </select>
          </template>
          <template v-if="action === 'accept'">
            <label for="until">until</label>
            <input id="until" v-model="until" class="plain-input" type="date" />
          </template>
          <label v-if="action === 'withdraw' || action === 'restore'" class="row">
            <input v-model="overrule" type="checkbox" /> even if somebody cannot sign in any more
          </label>
        </div>
        <div class="row">
          <label for="reason">because</label>
          <input
            id="reason"
            v-model="reason"
            class="plain-input reason"
            placeholder="kept in the journal"
          />
          <Button html-type="submit" :loading="busy">Preview</Button>
          <Button
            v-if="steps?.some((s) => s.possible)"
            type="primary"
            :loading="busy"
            :disabled="!reason.trim()"
            @click="settle()"
          >
            Do it
          </Button>
        </div>
        <ul v-if="steps">
          <li v-for="s in steps" :key="s.id">{{ s.possible ? "✓" : "✗" }} {{ s.sentence }}</li>
        </ul>
      </form>
    </div>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 15rem minmax(0, 1fr);
  gap: 1rem;
  align-items: start;
}
.groups {
  display: flex;
  flex-direction: column;
  gap: 0.25rem;
}
.groups button {
  display: flex;
  justify-content: space-between;
  gap: 0.5rem;
  padding: 0.3rem 0.5rem;
  border: 0;
  border-left: 3px solid transparent;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.groups button.now {
  border-left-color: var(--petrol);
  background: var(--hover, rgb(14 90 107 / 8%));
}
.rest > form.row {
  margin-bottom: 0.75rem;
}
.rest input[type="search"] {
  width: 22rem;
}
.critical {
  color: var(--red);
}
.link {
  padding: 0;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  text-decoration: underline dotted;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.tag {
  margin-left: 0.5rem;
  padding: 0 0.4rem;
  border: 1px solid currentColor;
  border-radius: 3px;
  font-size: 0.75rem;
}
.evidence pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font-size: 0.8rem;
}
.settle {
  margin-top: 1rem;
}
.settle .row {
  margin-bottom: 0.5rem;
}
.settle ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.reason {
  flex: 1;
}
@media (width < 800px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
