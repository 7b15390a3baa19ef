<script setup lang="ts">
import { Button } from "ant-design-vue";
import { onMounted, ref } from "vue";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import { moment } from "../words";
import Copied from "./Copied.vue";
import Trouble from "./Trouble.vue";

/** Whose tokens: everybody's as far as one may see them, or those of a login. */
const props = defineProps<{ login?: string }>();

const tokens = ref<Of<"TokenView">[]>([]);
const made = ref<Of<"NewTokenView">>();
const name = ref("");
const scope = ref<Of<"TokenScope">>("operate");
const life = ref("P90D");
const { busy, refused: problem, attempt } = useAttempt();

const load = () =>
  attempt(async () => {
    const all = (await take(api.GET("/api/v1/tokens"))).items;
    tokens.value = all.filter((t) => !props.login || t.login === props.login);
  });
onMounted(load);

const add = () =>
  attempt(async () => {
    made.value = await take(
      api.POST("/api/v1/tokens", {
        body: { name: name.value, life: life.value, scope: scope.value },
      }),
    );
    name.value = "";
    await load();
  });

const remove = (id: string) =>
  attempt(async () => {
    await take(api.DELETE("/api/v1/tokens/{id}", { params: { path: { id } } }));
    await load();
  });
</script>

<template>
  <Trouble :problem="problem" />
  <table v-if="tokens.length" class="plain-table">
    <thead>
      <tr>
        <th>Name</th>
        <th v-if="!login">Login</th>
        <th>May</th>
        <th>Expires</th>
        <th>Last used</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="t in tokens" :key="t.id">
        <td>{{ t.name }}</td>
        <td v-if="!login">{{ t.login }}</td>
        <td>{{ t.scope }}</td>
        <td>{{ moment(t.expiresAt) }}</td>
        <td>{{ t.lastUsedAt ? moment(t.lastUsedAt) : "never" }}</td>
        <td>
          <Button
            size="small"
            danger
            :aria-label="`Remove the token ${t.name}`"
            @click="remove(t.id)"
            >Remove</Button
          >
        </td>
      </tr>
    </tbody>
  </table>
  <p v-else class="quiet">No tokens.</p>
  <template v-if="login">
    <form class="row" @submit.prevent="add()">
      <label for="token-name">What for</label>
      <input id="token-name" v-model="name" class="plain-input" />
      <label for="token-scope">It may</label>
      <select id="token-scope" v-model="scope" class="plain-input">
        <option value="read">read</option>
        <option value="operate">operate: register, place, withdraw, rotate</option>
        <option value="administer">administer: destinations, rules and lists as well</option>
      </select>
      <label for="token-life">for</label>
      <select id="token-life" v-model="life" class="plain-input">
        <option value="P7D">7 days</option>
        <option value="P90D">90 days</option>
        <option value="P365D">a year</option>
      </select>
      <Button html-type="submit" :loading="busy" :disabled="!name">Make a token</Button>
    </form>
    <div v-if="made" role="status">
      <p>The token “{{ made.name }}” is shown this once:</p>
      <Copied :text="made.token" label="The token" />
    </div>
  </template>
</template>
