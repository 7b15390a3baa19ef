<script setup lang="ts">
import { Button } from "ant-design-vue";
import { computed, onMounted, reactive, ref } from "vue";
import { useRouter } from "vue-router";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import { said } from "../words";
import HostKeys from "../parts/HostKeys.vue";
import KeysServer from "../parts/KeysServer.vue";
import SettingFields from "../parts/SettingFields.vue";
import Trouble from "../parts/Trouble.vue";

const STEPS = ["What it is", "Where it is", "Host keys", "An account", "A test"];
const router = useRouter();
const { busy, refused, attempt } = useAttempt();
const step = ref(0);
const sheets = ref<Of<"SheetView">[]>([]);
const sheetId = ref("");
const text = ref("");
const check = ref<Of<"SheetCheckView">>();
const wish = reactive({
  name: "",
  host: "",
  port: 22,
  address: "",
  user: "",
  secret: "",
  managementLogin: "",
  keysPath: "",
  logPath: "",
});
const settings = ref<Record<string, string>>({});
const family = ref<Of<"Family">>("sftp-server");
const families = ref<Of<"FamilyView">[]>([]);
const named = (word: string) => families.value.find((f) => f.family === word);
const own = computed(() => named(family.value));
const isServer = computed(() => family.value === "sftp-server");
const others = ref<Of<"DestinationView">[]>([]);
const servers = computed(() => others.value.filter((d) => d.family === "sftp-server"));
const signsInAt = ref("");
const jump = reactive({ id: "", login: "" });
const what = computed({
  get: () => sheetId.value || family.value,
  set: (value: string) => {
    const known = named(value);
    sheetId.value = known ? "" : value;
    family.value = known?.family ?? "sftp-server";
    wish.port = known?.port ?? 22;
    wish.user = known?.user ?? "";
  },
});
const attached = ref<Of<"DestinationView">>();
const keys = ref<Of<"HostKeyView">[]>([]);
const login = ref("");
const kind = ref("");
const tested = ref<Of<"TestView">>();
const sheet = computed(() => sheets.value.find((s) => s.id === sheetId.value));
const asked = computed(() => sheet.value?.settings ?? []);
const onlySeats = computed(() => sheet.value?.kinds?.length === 0);
const path = computed(() => ({ params: { path: { id: attached.value?.id ?? "" } } }));

onMounted(load);

async function load() {
  others.value =
    (await take(api.GET("/api/v1/destinations", { params: { query: { limit: 500 } } }))).items ??
    [];
  sheets.value = (await take(api.GET("/api/v1/sheets"))).items ?? [];
  families.value = await take(api.GET("/api/v1/families"));
}

/** A sheet that was pasted is kept once it has no flaws. */
const keepSheet = () =>
  attempt(async () => {
    check.value = await take(api.POST("/api/v1/sheets/check", { body: { text: text.value } }));
    if (!check.value.flaws?.length) {
      const kept = await take(
        api.POST("/api/v1/sheets", {
          body: { text: text.value, reason: "attached in the console" },
        }),
      );
      await load();
      sheetId.value = kept.id ?? "";
      text.value = "";
    }
  });

const attach = () =>
  attempt(async () => {
    const body = sheet.value
      ? {
          name: wish.name,
          sheetId: sheetId.value,
          address: wish.address,
          user: wish.user || undefined,
          secret: wish.secret || undefined,
          settings: { ...settings.value },
        }
      : {
          name: wish.name,
          family: family.value,
          host: wish.host,
          port: wish.port,
          managementLogin: wish.managementLogin || undefined,
          keysPath: wish.keysPath || undefined,
          logPath: wish.logPath || undefined,
          user: own.value?.user === undefined ? undefined : wish.user,
          secret: wish.secret || undefined,
          settings: isServer.value
            ? undefined
            : Object.fromEntries(Object.entries(settings.value).filter(([, value]) => value)),
          signsInAtId: signsInAt.value || undefined,
          routeId: jump.id || undefined,
          routeLogin: jump.id ? jump.login : undefined,
        };
    attached.value = await take(api.POST("/api/v1/destinations", { body }));
    wish.secret = "";
    if (attached.value.host && attached.value.family !== "directory") {
      step.value = 2;
      await take(api.POST("/api/v1/destinations/{id}/looks", path.value));
      await refresh();
    } else {
      step.value = 3;
    }
  });

async function refresh() {
  const page = await take(api.GET("/api/v1/destinations/{id}/host-keys", path.value));
  keys.value = page.items ?? [];
  attached.value = await take(api.GET("/api/v1/destinations/{id}", path.value));
}

const addAccount = () =>
  attempt(async () => {
    if (!onlySeats.value) {
      await take(
        api.POST("/api/v1/destinations/{id}/accounts", {
          ...path.value,
          body: { login: login.value, kind: kind.value || undefined },
        }),
      );
    }
    if (sheet.value) {
      step.value = 4;
    } else {
      await router.push(`/destinations/${attached.value?.id}`);
    }
  });

const run = () =>
  attempt(async () => {
    tested.value = await take(
      api.POST("/api/v1/destinations/{id}/tests", {
        ...path.value,
        body: onlySeats.value ? { seat: login.value } : { account: login.value },
      }),
    );
  });
</script>

<template>
  <h1>Attach a destination</h1>
  <ol class="steps" aria-label="Steps">
    <li
      v-for="(name, i) in STEPS"
      :key="name"
      :class="{ now: i === step, done: i < step }"
      :aria-current="i === step ? 'step' : undefined"
    >
      {{ i < step ? "✓" : i + 1 }} {{ name }}
    </li>
  </ol>
  <Trouble :problem="refused" />

  <section v-if="step === 0" class="sheet">
    <h2>What it is</h2>
    <label for="attach-sheet">A server, or a system that a sheet describes</label>
    <select id="attach-sheet" v-model="what" class="plain-input line">
      <option v-for="known in families" :key="known.family" :value="known.family">
        {{ known.title }}
      </option>
      <option v-for="s in sheets" :key="s.id" :value="s.id">
        {{ s.system }} ({{ said(s.family) }})
      </option>
    </select>
    <ul v-if="sheet" class="quiet">
      <li v-for="sentence in sheet.explanation" :key="sentence">{{ sentence }}</li>
    </ul>
    <details>
      <summary>Another system: paste its sheet</summary>
      <label for="attach-text">The sheet; docs/system-sheets.md says how one is written</label>
      <textarea id="attach-text" v-model="text" class="plain-input mono line" rows="10" />
      <Button :loading="busy" :disabled="!text" @click="keepSheet()">Check and keep it</Button>
      <ul v-if="check?.flaws?.length" class="bad">
        <li v-for="flaw in check.flaws" :key="`${flaw.line}${flaw.sentence}`">
          Line {{ flaw.line }}: {{ flaw.sentence }}
        </li>
      </ul>
    </details>
    <Button type="primary" @click="step = 1">Go on</Button>
  </section>

  <form v-else-if="step === 1" class="sheet" @submit.prevent="attach()">
    <h2>Where it is</h2>
    <label for="attach-name">Name</label>
    <input id="attach-name" v-model="wish.name" class="plain-input line" required />
    <template v-if="sheet">
      <label for="attach-address">{{
        sheet.speaks === "sql" ? "The database's URL" : "The base of all its requests"
      }}</label>
      <input
        id="attach-address"
        v-model="wish.address"
        class="plain-input mono line"
        required
        :placeholder="
          sheet.speaks === 'sql' ? 'jdbc:postgresql://host:5432/name' : 'https://host/base'
        "
      />
      <SettingFields v-model="settings" :settings="asked" />
      <template v-if="sheet.connectsWith === 'basic' || sheet.connectsWith === 'oauth2'">
        <label for="attach-user">As whom Tolvin connects</label>
        <input id="attach-user" v-model="wish.user" class="plain-input line" autocomplete="off" />
      </template>
      <template v-if="sheet.connectsWith !== 'nothing'">
        <label for="attach-secret"
          >With what ({{ sheet.connectsWith }}); it goes to the coffer</label
        >
        <input
          id="attach-secret"
          v-model="wish.secret"
          class="plain-input line"
          type="password"
          autocomplete="off"
          required
        />
      </template>
    </template>
    <template v-else>
      <label for="attach-host">Host</label>
      <input id="attach-host" v-model="wish.host" class="plain-input line" required />
      <label for="attach-port">Port</label>
      <input
        id="attach-port"
        v-model.number="wish.port"
        class="plain-input line"
        type="number"
        min="1"
        max="65535"
      />
      <template v-if="!isServer">
        <SettingFields v-model="settings" :settings="own?.settings ?? []" />
        <template v-if="own?.user !== undefined">
          <label for="attach-user">As whom Tolvin connects</label>
          <input id="attach-user" v-model="wish.user" class="plain-input line" required />
        </template>
        <template v-if="own?.secret">
          <label for="attach-secret">With what; it goes to the coffer</label>
          <input
            id="attach-secret"
            v-model="wish.secret"
            class="plain-input line"
            type="password"
            autocomplete="off"
            required
          />
        </template>
        <template v-if="own?.elsewhere">
          <label for="attach-signs-in">The server that takes its accounts' keys from there</label>
          <select id="attach-signs-in" v-model="signsInAt" class="plain-input line">
            <option value="">not attached yet; no key can be tested</option>
            <option v-for="d in servers" :key="d.id" :value="d.id">{{ d.name }}</option>
          </select>
        </template>
      </template>
      <template v-if="isServer">
        <label for="attach-jump">Reached through</label>
        <select id="attach-jump" v-model="jump.id" class="plain-input line">
          <option value="">nothing, directly</option>
          <option v-for="d in servers.filter((s) => !s.route)" :key="d.id" :value="d.id">
            {{ d.name }}
          </option>
        </select>
        <template v-if="jump.id">
          <label for="attach-jump-login">Tolvin's login on that jump host</label>
          <input id="attach-jump-login" v-model="jump.login" class="plain-input line" required />
        </template>
        <label for="attach-management"
          >A login that may write every account's keys, if there is one</label
        >
        <input id="attach-management" v-model="wish.managementLogin" class="plain-input line" />
        <label for="attach-path">The file of an account's keys; {login} stands for its login</label>
        <input
          id="attach-path"
          v-model="wish.keysPath"
          class="plain-input mono line"
          placeholder=".ssh/authorized_keys"
        />
        <label for="attach-log">Its sign-in log, if it may be read</label>
        <input id="attach-log" v-model="wish.logPath" class="plain-input mono line" />
      </template>
    </template>
    <Button @click="step = 0">Back</Button>
    <Button type="primary" html-type="submit" :loading="busy">Attach it</Button>
  </form>

  <template v-else-if="step === 2 && attached">
    <p class="sheet">
      This is what it shows. Ask its administrator for the fingerprint, over another way than this
      one, and paste it. Until then nothing is done there.
    </p>
    <HostKeys :id="attached.id ?? ''" :keys="keys" :supplies="[]" @changed="refresh()" />
    <KeysServer :destination="attached" @changed="refresh()" />
    <p v-if="attached.tolvinKey" class="sheet">
      Tolvin signs in with this line; it belongs into the authorized_keys of the management login,
      or of each account: <span class="mono wrap">{{ attached.tolvinKey }}</span>
    </p>
    <Button type="primary" :disabled="!!attached.stoppedBecause" @click="step = 3">Go on</Button>
  </template>

  <form v-else-if="step === 3" class="sheet" @submit.prevent="addAccount()">
    <h2>{{ onlySeats ? "A credential to look at" : "An account" }}</h2>
    <label for="attach-login">{{
      onlySeats
        ? "The name of a credential that is there"
        : sheet
          ? "Best one that nothing depends on: it is tested with a throw-away key next"
          : "A login on it"
    }}</label>
    <input id="attach-login" v-model="login" class="plain-input line" required />
    <template v-if="(sheet?.kinds?.length ?? 0) > 1">
      <label for="attach-kind">Kind</label>
      <select id="attach-kind" v-model="kind" class="plain-input line" required>
        <option v-for="k in sheet?.kinds" :key="k.name" :value="k.name">{{ k.name }}</option>
      </select>
    </template>
    <Button type="primary" html-type="submit" :loading="busy">Go on</Button>
  </form>

  <section v-else class="sheet">
    <h2>A test</h2>
    <p>
      Tolvin reads what is on {{ login
      }}<template v-if="!onlySeats"
        >, places a throw-away key, reads it back, withdraws it and reads again</template
      >.
    </p>
    <Button type="primary" :loading="busy" @click="run()">Test it</Button>
    <ul v-if="tested">
      <li v-for="s in tested.steps" :key="s.step">
        {{ s.good ? "✓" : "✗" }} {{ s.step }}: {{ s.said }}
      </li>
    </ul>
    <p v-if="tested">
      <RouterLink :to="`/destinations/${attached?.id}`">{{
        tested.good ? "It works: go to its page" : "Go to its page all the same"
      }}</RouterLink>
    </p>
  </section>
</template>

<style scoped>
.steps {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 20px;
  list-style: none;
  padding: 0;
  margin: 0 0 16px;
}
.steps li {
  color: var(--quiet);
}
.steps .now {
  color: var(--ink);
  font-weight: 600;
  border-bottom: 2px solid var(--petrol);
}
details {
  margin: 12px 0;
}
.wrap {
  overflow-wrap: anywhere;
}
.bad {
  color: var(--red);
}
button {
  margin-right: 8px;
}
</style>
