<script setup lang="ts">
import { Button, Skeleton } from "ant-design-vue";
import { computed, onScopeDispose, ref } from "vue";
import { api, type Of, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import Fingerprint from "../parts/Fingerprint.vue";
import Trouble from "../parts/Trouble.vue";
import { moment, said } from "../words";

const props = defineProps<{ id: string }>();
const more = ref<Of<"RegistrationLineView">[]>([]);
const next = ref<string>();
const path = computed(() => ({ id: props.id }));
const { busy, refused, attempt } = useAttempt();
const reason = ref("");

let again: ReturnType<typeof setTimeout> | undefined;
onScopeDispose(() => clearTimeout(again));
const { data, problem, reload } = live(
  async () => {
    const [registration, lines] = await Promise.all([
      take(api.GET("/api/v1/registrations/{id}", { params: { path: path.value } })),
      take(
        api.GET("/api/v1/registrations/{id}/lines", {
          params: { path: path.value, query: { limit: 200 } },
        }),
      ),
    ]);
    more.value = [];
    next.value = lines.next;
    clearTimeout(again);
    if (
      registration.onItsWay ||
      registration.state === "testing" ||
      registration.state === "running"
    ) {
      again = setTimeout(() => void reload(), 1000);
    }
    return { registration, lines: lines.items ?? [] };
  },
  (topic) => topic.startsWith("registration."),
);
const lines = computed(() => [...(data.value?.lines ?? []), ...more.value]);
const r = computed(() => data.value?.registration);
const isOver = computed(() => ["done", "cancelled"].includes(r.value?.state ?? ""));
const percent = computed(() =>
  r.value?.count
    ? Math.round(
        (100 * (r.value.count - (r.value.waiting ?? 0) - (r.value.onItsWay ?? 0))) / r.value.count,
      )
    : 0,
);
const counts = computed(() =>
  (
    [
      ["done", r.value?.done],
      ["there already", r.value?.thereAlready],
      ["asked of others", r.value?.asked],
      ["on their way", r.value?.onItsWay],
      ["waiting", r.value?.waiting],
      ["refused", r.value?.refused],
      ["failed", r.value?.failed],
      ["cancelled", r.value?.cancelled],
    ] as const
  ).filter(([, count]) => count),
);

async function loadMore(): Promise<void> {
  const page = await take(
    api.GET("/api/v1/registrations/{id}/lines", {
      params: { path: path.value, query: { limit: 500, after: Number(next.value) } },
    }),
  );
  more.value = [...more.value, ...(page.items ?? [])];
  next.value = page.next;
}
const goOn = () =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/registrations/{id}/go-on", {
        params: { path: path.value },
        body: { reason: reason.value },
      }),
    );
    await reload();
  });
const cancel = () =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/registrations/{id}/cancel", {
        params: { path: path.value },
        body: { reason: reason.value },
      }),
    );
    await reload();
  });
const sign = (state: string | undefined) =>
  ({
    done: "✓ done",
    "there-already": "= there already",
    asked: "… asked",
    "on-its-way": "… on its way",
    waiting: "· waiting",
  })[state ?? ""] ?? `✗ ${said(state)}`;
</script>

<template>
  <Trouble :problem="problem ?? refused" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 10 }" />
  <template v-if="r">
    <div class="row spread head">
      <h1>
        {{ r.count === 1 ? "Registration of one key" : `Registration of ${r.count} keys` }}
        <span class="quiet">{{ said(r.state) }}</span>
      </h1>
      <RouterLink to="/registrations">All registrations</RouterLink>
    </div>
    <section class="sheet">
      <div
        class="bar"
        role="progressbar"
        aria-label="How much of it is over"
        :aria-valuenow="percent"
        aria-valuemin="0"
        aria-valuemax="100"
      >
        <div :style="{ width: `${percent}%` }" />
      </div>
      <p class="row" role="status">
        <span v-for="[name, count] in counts" :key="name">
          <strong>{{ count }}</strong> {{ name }}
        </span>
      </p>
      <p class="quiet">
        {{ r.reason }}{{ r.ticket ? ` (${r.ticket})` : "" }}; begun by {{ r.begunBy }},
        {{ moment(r.begunAt) }}{{ r.endedAt ? `, ended ${moment(r.endedAt)}` : "" }};
        {{ r.atOnce }} at once on one destination
      </p>
      <p v-if="r.state === 'testing'" class="quiet">
        One is placed and tried before the others are begun.
      </p>
      <p v-if="r.state === 'stopped'" class="person">
        ! The one that was tried first failed, so the others were not begun. Look at its reason
        below; then go on all the same, or end it.
      </p>
      <p v-if="r.asked">
        Their administrators were asked: <RouterLink to="/hand-overs">hand-overs</RouterLink>.
      </p>
      <form v-if="!isOver" class="row" @submit.prevent>
        <label for="reason">because</label>
        <input
          id="reason"
          v-model="reason"
          class="plain-input reason"
          placeholder="kept in the journal"
        />
        <Button
          v-if="r.state === 'stopped'"
          :loading="busy"
          :disabled="!reason.trim()"
          @click="goOn()"
        >
          Go on with the others
        </Button>
        <Button :loading="busy" :disabled="!reason.trim()" @click="cancel()">
          Begin nothing more
        </Button>
      </form>
    </section>
    <section class="sheet wide">
      <table class="plain-table">
        <thead>
          <tr>
            <th>State</th>
            <th>Account</th>
            <th>Key</th>
            <th>Title</th>
            <th>Placement</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="line in lines" :key="line.number">
            <tr :class="{ told: line.reason }">
              <td :class="{ bad: line.state === 'failed' || line.state === 'refused' }">
                {{ sign(line.state) }}
              </td>
              <td>
                <RouterLink :to="`/accounts/${line.accountId}`">{{ line.account }}</RouterLink>
              </td>
              <td class="nowrap">
                <RouterLink :to="`/keys/${line.keyId}`" :aria-label="`Key ${line.key}`">
                  <Fingerprint :value="line.key" short />
                </RouterLink>
              </td>
              <td>{{ line.title }}</td>
              <td>{{ said(line.placement) }}</td>
            </tr>
            <tr v-if="line.reason">
              <td colspan="5" class="why bad">{{ line.reason }}</td>
            </tr>
          </template>
        </tbody>
      </table>
      <Button v-if="next" @click="loadMore()">Show more</Button>
    </section>
  </template>
</template>

<style scoped>
.bar {
  height: 8px;
  background: var(--planned);
  border-radius: 4px;
  overflow: hidden;
}
.bar div {
  height: 100%;
  background: var(--petrol);
}
.person {
  color: var(--amber-ink);
  font-weight: 600;
}
.bad {
  color: var(--red);
}
.reason {
  flex: 1;
}
.told td {
  border-bottom: none;
}
.plain-table .why {
  white-space: normal;
  padding-left: 18px;
}
</style>
