<script setup lang="ts">
import { Button } from "ant-design-vue";
import { onMounted, ref } from "vue";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import { moment } from "../words";
import Trouble from "./Trouble.vue";

/** Whose sessions: everybody's as far as one may see them, or those of a login. */
const props = defineProps<{ login?: string }>();

const sessions = ref<Of<"OpenSessionView">[]>([]);
const { refused: problem, attempt } = useAttempt();

const load = () =>
  attempt(async () => {
    const all = (await take(api.GET("/api/v1/sessions"))).items;
    sessions.value = all.filter((s) => !props.login || s.login === props.login);
  });
onMounted(load);

const end = (id: string) =>
  attempt(async () => {
    await take(api.DELETE("/api/v1/sessions/{id}", { params: { path: { id } } }));
    await load();
  });
</script>

<template>
  <Trouble :problem="problem" />
  <table class="plain-table">
    <thead>
      <tr>
        <th v-if="!login">Login</th>
        <th>From</th>
        <th>Begun</th>
        <th>Last used</th>
        <th>Ends</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="s in sessions" :key="s.id">
        <td v-if="!login">{{ s.login }}</td>
        <td class="mono">{{ s.address }}</td>
        <td>{{ moment(s.createdAt) }}</td>
        <td>{{ moment(s.lastUsedAt) }}</td>
        <td>{{ moment(s.endsAt) }}</td>
        <td>
          <span v-if="s.isYours" class="quiet">this one</span>
          <Button
            v-else
            size="small"
            danger
            :aria-label="`End the session of ${s.login} from ${s.address}`"
            @click="end(s.id)"
            >End</Button
          >
        </td>
      </tr>
    </tbody>
  </table>
</template>
