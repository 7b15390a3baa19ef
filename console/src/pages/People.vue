<script setup lang="ts">
import { Button } from "ant-design-vue";
import { computed, onMounted, ref } from "vue";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import Copied from "../parts/Copied.vue";
import HostCommands from "../parts/HostCommands.vue";
import Sessions from "../parts/Sessions.vue";
import Tokens from "../parts/Tokens.vue";
import Trouble from "../parts/Trouble.vue";
import { moment } from "../words";

const users = ref<Of<"UserView">[]>();
const people = ref<Of<"IdentityView">[]>([]);
const link = ref<Of<"InvitationView">>();
const login = ref("");
const name = ref("");
const identity = ref("");
const role = ref<Of<"UserRole">>("self");
const leaving = ref<string>();
const { busy, refused: problem, attempt } = useAttempt();

const free = computed(() =>
  people.value.filter((p) => !users.value?.some((u) => u.identityId === p.id)),
);

async function load(): Promise<void> {
  users.value = (await take(api.GET("/api/v1/users"))).items;
}
onMounted(() =>
  attempt(async () => {
    await load();
    const all = await take(api.GET("/api/v1/identities", { params: { query: { limit: 500 } } }));
    people.value = all.items.filter((i) => i.kind === "person");
  }),
);

const invite = () =>
  attempt(async () => {
    link.value = await take(
      api.POST("/api/v1/users", {
        body: {
          login: login.value,
          name: name.value || undefined,
          identityId: identity.value || undefined,
          role: role.value,
        },
      }),
    );
    login.value = name.value = identity.value = "";
    await load();
  });

const linkAgain = (id: string) =>
  attempt(async () => {
    link.value = await take(api.POST("/api/v1/users/{id}/link", { params: { path: { id } } }));
    await load();
  });

const change = (id: string, body: Of<"UserChangeRequest">) =>
  attempt(async () => {
    await take(api.PATCH("/api/v1/users/{id}", { params: { path: { id } }, body }));
    await load();
  });

const remove = (id: string) =>
  attempt(async () => {
    await take(api.DELETE("/api/v1/users/{id}", { params: { path: { id } } }));
    leaving.value = undefined;
    await load();
  });
</script>

<template>
  <h1>People</h1>
  <Trouble :problem="problem" />
  <section class="sheet" aria-labelledby="users-heading">
    <h2 id="users-heading">Who may sign in</h2>
    <div class="scroll">
      <table class="plain-table">
        <thead>
          <tr>
            <th>Login</th>
            <th>Name</th>
            <th>Role</th>
            <th>State</th>
            <th>Last seen</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="u in users" :key="u.id">
            <td class="mono">{{ u.login }}</td>
            <td>{{ u.name }}</td>
            <td>{{ u.role === "self" ? "own keys" : u.role }}</td>
            <td>
              {{ u.state
              }}<span v-if="u.linkUntil" class="quiet">, link until {{ moment(u.linkUntil) }}</span>
            </td>
            <td>{{ u.lastSeenAt ? moment(u.lastSeenAt) : "never" }}</td>
            <td class="row">
              <template v-if="leaving === u.id">
                Remove {{ u.login }} for good?
                <Button size="small" danger @click="remove(u.id)">Remove</Button>
                <Button size="small" @click="leaving = undefined">Not now</Button>
              </template>
              <template v-else>
                <Button v-if="u.state !== 'disabled'" size="small" @click="linkAgain(u.id)"
                  >New link</Button
                >
                <Button
                  size="small"
                  @click="change(u.id, { state: u.state === 'disabled' ? 'active' : 'disabled' })"
                  >{{ u.state === "disabled" ? "Enable" : "Disable" }}</Button
                >
                <Button size="small" danger @click="leaving = u.id">Remove…</Button>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <div v-if="link" class="link" role="status">
      <p>
        Give this link to {{ link.login }}, over a way that is only theirs. With it they choose a
        password that nobody else knows. It is good once, until {{ moment(link.until) }}, and shown
        this once:
      </p>
      <Copied :text="link.link" label="The link" />
    </div>
    <h3>Let somebody in</h3>
    <form class="row" @submit.prevent="invite()">
      <label for="login">Login</label>
      <input id="login" v-model="login" class="plain-input" autocomplete="off" />
      <label for="role">Role</label>
      <select id="role" v-model="role" class="plain-input">
        <option value="self">own keys</option>
        <option value="administrator">administrator</option>
      </select>
      <label for="identity">Person</label>
      <select id="identity" v-model="identity" class="plain-input">
        <option value="">{{ role === "administrator" ? "none" : "choose" }}</option>
        <option v-for="p in free" :key="p.id" :value="p.id">{{ p.name }}</option>
      </select>
      <template v-if="!identity && role === 'administrator'">
        <label for="name">Name</label>
        <input id="name" v-model="name" class="plain-input" autocomplete="off" />
      </template>
      <Button
        type="primary"
        html-type="submit"
        :loading="busy"
        :disabled="!login || (!identity && (role === 'self' || !name))"
        >Make a link</Button
      >
    </form>
  </section>
  <section class="sheet" aria-labelledby="sessions-heading">
    <h2 id="sessions-heading">Who is signed in</h2>
    <Sessions />
  </section>
  <section class="sheet" aria-labelledby="tokens-heading">
    <h2 id="tokens-heading">Tokens</h2>
    <p class="quiet">You make one for yourself behind your name, above.</p>
    <Tokens />
  </section>
  <section class="sheet" aria-labelledby="commands-heading">
    <h2 id="commands-heading">Commands that may be run on hosts</h2>
    <HostCommands />
  </section>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.link {
  margin: 12px 0;
}
</style>
