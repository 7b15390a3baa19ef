<script setup lang="ts">
import { Button, Skeleton } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { api, type Of, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import DestinationState from "../parts/DestinationState.vue";
import HostKeys from "../parts/HostKeys.vue";
import KeysServer from "../parts/KeysServer.vue";
import SheetWords from "../parts/SheetWords.vue";
import Trouble from "../parts/Trouble.vue";
import { distance, moment } from "../words";

const props = defineProps<{ id: string }>();
const path = { params: { path: { id: props.id } } };
const {
  data,
  problem,
  reload: refresh,
} = live(
  async () => {
    const destination = await take(api.GET("/api/v1/destinations/{id}", path));
    const [accounts, keys, supplies, sheet] = await Promise.all([
      take(api.GET("/api/v1/accounts", { params: { query: { destination: props.id } } })),
      take(api.GET("/api/v1/destinations/{id}/host-keys", path)),
      take(api.GET("/api/v1/destinations/{id}/host-keys/supplies", path)),
      destination.sheetId
        ? take(api.GET("/api/v1/sheets/{id}", { params: { path: { id: destination.sheetId } } }))
        : Promise.resolve(undefined),
    ]);
    return {
      destination,
      accounts: accounts.items ?? [],
      next: accounts.next,
      keys: keys.items ?? [],
      supplies: supplies.items ?? [],
      sheet,
      at: Date.now(),
    };
  },
  (topic) => /^(destination|account|placement|rotation|feed|sheet|seat)\./.test(topic),
);
const { busy, refused, attempt } = useAttempt();
const more = ref<Of<"AccountView">[]>([]);
const next = ref<string>();
watch(
  () => data.value?.next,
  (first) => {
    more.value = [];
    next.value = first;
  },
);
const loadMore = () =>
  attempt(async () => {
    const page = await take(
      api.GET("/api/v1/accounts", {
        params: { query: { destination: props.id, limit: 500, after: next.value } },
      }),
    );
    more.value = [...more.value, ...(page.items ?? [])];
    next.value = page.next;
  });
const login = ref("");
const tried = ref<Of<"TestView">>();
const health = computed(() => data.value?.destination.health);
/** Those of an SSH server are shown in words of their own. */
const settings = computed(() =>
  data.value?.destination.keysServer ? {} : data.value?.destination.settings,
);
const isTestable = computed(() => data.value?.sheet || data.value?.destination.keysServer);

const lastUse = (account: Of<"AccountView">) =>
  (account.registered ?? [])
    .map((r) => r.usedAt ?? "")
    .sort()
    .at(-1);

const run = () =>
  attempt(async () => {
    const seats = data.value?.sheet?.kinds?.length === 0;
    tried.value = await take(
      api.POST("/api/v1/destinations/{id}/tests", {
        ...path,
        body: seats ? { seat: login.value } : { account: login.value },
      }),
    );
    await refresh();
  });
</script>

<template>
  <Trouble :problem="problem" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 10 }" />
  <template v-if="data">
    <div class="row spread head">
      <h1>{{ data.destination.name }}</h1>
      <DestinationState :destination="data.destination" />
    </div>
    <p v-if="data.destination.stoppedBecause" class="sheet bad" role="alert">
      Stopped: {{ data.destination.stoppedBecause }}
    </p>
    <p v-if="health?.failure" class="sheet warn">{{ health.failure }}</p>
    <p v-if="data.destination.feed?.failure" class="sheet warn">
      {{ data.destination.feed.failure }}
    </p>
    <div class="two">
      <section class="sheet" aria-labelledby="what">
        <h2 id="what">What it is</h2>
        <dl class="facts">
          <dt>Family</dt>
          <dd>{{ data.destination.family?.replace("_", " ") }}</dd>
          <template v-if="data.destination.address">
            <dt>Address</dt>
            <dd class="mono">{{ data.destination.address }}</dd>
          </template>
          <template v-if="data.destination.host">
            <dt>SSH server</dt>
            <dd class="mono">{{ data.destination.host }} port {{ data.destination.port }}</dd>
          </template>
          <template v-for="(value, name) in settings" :key="name">
            <dt>{{ name }}</dt>
            <dd class="mono">{{ value }}</dd>
          </template>
          <template v-if="data.destination.keysPath">
            <dt>Keys stand in</dt>
            <dd class="mono">{{ data.destination.keysPath }}</dd>
            <dt>Signs in as</dt>
            <dd>{{ data.destination.managementLogin ?? "each account itself" }}</dd>
          </template>
          <template v-for="kind in data.sheet?.kinds" :key="kind.name">
            <dt>{{ kind.name }}</dt>
            <dd>
              {{ kind.slotNames?.length ? kind.slotNames.join(" and ") : `${kind.slots} keys` }} ·
              {{ kind.form?.replace("-", " ") }} · for {{ kind.purposes?.join(", ") }} ·
              {{ kind.access?.join(" or ") }} · tried by {{ kind.way ?? "nobody" }}
            </dd>
          </template>
          <template v-for="kind in data.sheet?.seatKinds" :key="kind.name">
            <dt>{{ kind.name }}</dt>
            <dd>
              keeps private keys,
              {{ kind.keepsFormer ? "the former one beside" : "one for each" }};
              {{ kind.triesItself ? "signs in when asked" : "its next run is waited for" }}
            </dd>
          </template>
        </dl>
      </section>
      <section class="sheet" aria-labelledby="health">
        <h2 id="health">Health</h2>
        <dl class="facts">
          <dt>Looked at</dt>
          <dd>{{ distance(health?.at, data.at) }}</dd>
          <dt>Reachable</dt>
          <dd>
            {{
              health ? (health.reachable ? `✓ in ${health.tookMillis} ms` : "✗ no") : "not known"
            }}
          </dd>
          <template v-if="data.sheet">
            <dt>Lets Tolvin in</dt>
            <dd>
              {{
                health?.secretGood === undefined
                  ? "not known"
                  : health.secretGood
                    ? "✓ yes"
                    : "✗ no"
              }}
            </dd>
            <dt>Secret ends</dt>
            <dd>
              {{ moment(health?.secretEnds ?? data.destination.secretEndsAt) || "not known" }}
            </dd>
            <dt>Its clock</dt>
            <dd>
              {{
                health?.clockAheadSeconds === undefined
                  ? "not told"
                  : Math.abs(health.clockAheadSeconds) < 2
                    ? "✓ as ours"
                    : `! ${health.clockAheadSeconds} s ahead of ours`
              }}
            </dd>
            <dt>Tried</dt>
            <dd>
              {{
                data.destination.testedAt ? `✓ ${moment(data.destination.testedAt)}` : "! not yet"
              }}
            </dd>
          </template>
          <template v-else>
            <dt>Uses seen</dt>
            <dd>
              {{
                data.destination.feed?.readTo
                  ? `log read ${distance(data.destination.feed.readTo, data.at)}`
                  : "not reported"
              }}
            </dd>
          </template>
        </dl>
        <form v-if="isTestable" class="row" @submit.prevent="run()">
          <label for="try-account">{{
            data.sheet?.kinds?.length === 0 ? "Test on seat" : "Test on account"
          }}</label>
          <input id="try-account" v-model="login" class="plain-input" list="logins" />
          <datalist id="logins">
            <option v-for="a in data.accounts" :key="a.id" :value="a.login" />
          </datalist>
          <Button html-type="submit" :loading="busy" :disabled="!login">
            Test with a throw-away key
          </Button>
        </form>
        <Trouble :problem="refused" />
        <ul v-if="tried">
          <li v-for="step in tried.steps" :key="step.step">
            {{ step.good ? "✓" : "✗" }} {{ step.step }}: {{ step.said }}
          </li>
        </ul>
      </section>
    </div>
    <KeysServer :destination="data.destination" @changed="refresh()" />
    <section v-if="data.accounts.length" class="sheet" aria-labelledby="accounts">
      <h2 id="accounts">Accounts</h2>
      <div class="wide">
        <table class="plain-table">
          <thead>
            <tr>
              <th>Account</th>
              <th>Kind</th>
              <th>Sign-in</th>
              <th>Keys found</th>
              <th>Last use told</th>
              <th>Read</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="account in [...data.accounts, ...more]" :key="account.id">
              <td>
                <RouterLink :to="`/accounts/${account.id}`">{{ account.login }}</RouterLink>
              </td>
              <td>{{ account.kind }}</td>
              <td>{{ account.signInMode }}</td>
              <td>
                {{ account.readAt ? `${account.registered?.length} of ${account.holds}` : "" }}
              </td>
              <td class="quiet">{{ moment(lastUse(account)) }}</td>
              <td class="quiet nowrap">{{ distance(account.readAt, data.at) }}</td>
            </tr>
          </tbody>
        </table>
        <Button v-if="next" :loading="busy" @click="loadMore()">Show more</Button>
      </div>
    </section>
    <HostKeys
      v-if="data.destination.host"
      :id="id"
      :keys="data.keys"
      :supplies="data.supplies"
      @changed="refresh()"
    />
    <SheetWords v-if="data.sheet" :sheet="data.sheet" />
  </template>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(300px, 1fr));
  gap: 0 16px;
}
dd.mono {
  overflow-wrap: anywhere;
}
form {
  margin-top: 12px;
}
.warn {
  color: var(--amber-ink);
}
.bad {
  color: var(--red);
}
</style>
