<script setup lang="ts">
import { Button } from "ant-design-vue";
import { onMounted, ref } from "vue";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import { moment } from "../words";
import Trouble from "./Trouble.vue";

const commands = ref<Of<"HostCommandView">[]>([]);
const command = ref("");
const reason = ref("");
const { busy, refused: problem, attempt } = useAttempt();

const load = () =>
  attempt(async () => {
    commands.value = (await take(api.GET("/api/v1/host-commands"))).items;
  });
onMounted(load);

const add = () =>
  attempt(async () => {
    await take(
      api.POST("/api/v1/host-commands", { body: { command: command.value, reason: reason.value } }),
    );
    command.value = reason.value = "";
    await load();
  });

const remove = (id: string) =>
  attempt(async () => {
    await take(api.DELETE("/api/v1/host-commands/{id}", { params: { path: { id } } }));
    await load();
  });
</script>

<template>
  <p class="quiet">
    A seat that is reloaded, and a server whose configuration Tolvin changes, name one of these.
    Each is run as it stands here; nothing is ever put into it.
  </p>
  <Trouble :problem="problem" />
  <table v-if="commands.length" class="plain-table">
    <thead>
      <tr>
        <th>Command</th>
        <th>What for</th>
        <th>Approved</th>
        <th>Used by</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="c in commands" :key="c.id">
        <td class="mono">{{ c.command }}</td>
        <td>{{ c.reason }}</td>
        <td>{{ c.approvedBy }}, {{ moment(c.approvedAt) }}</td>
        <td>{{ c.uses }}</td>
        <td>
          <Button
            size="small"
            danger
            :aria-label="`Take back the approval of ${c.command}`"
            @click="remove(c.id)"
            >Take back</Button
          >
        </td>
      </tr>
    </tbody>
  </table>
  <p v-else class="quiet">None so far.</p>
  <form class="row" @submit.prevent="add()">
    <label for="command">Command</label>
    <input id="command" v-model="command" class="plain-input mono" size="36" autocomplete="off" />
    <label for="command-reason">What for</label>
    <input id="command-reason" v-model="reason" class="plain-input" autocomplete="off" />
    <Button html-type="submit" :loading="busy" :disabled="!command || !reason">Approve</Button>
  </form>
</template>
