<script setup lang="ts">
import { Button } from "ant-design-vue";
import { ref } from "vue";
import { api, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import { moment } from "../words";
import Trouble from "./Trouble.vue";

const { data, problem, reload } = live(
  () => take(api.GET("/api/v1/makers")),
  (topic) => topic.startsWith("maker."),
);
const certificate = ref("");
const { busy, refused, attempt } = useAttempt();

const change = (deed: () => Promise<unknown>) =>
  attempt(async () => {
    await deed();
    certificate.value = "";
    await reload();
  });
const add = () =>
  change(() => take(api.POST("/api/v1/makers", { body: { certificate: certificate.value } })));
const remove = (id: string) =>
  change(() => take(api.DELETE("/api/v1/makers/{id}", { params: { path: { id } } })));
</script>

<template>
  <section class="sheet" aria-labelledby="makers">
    <h2 id="makers">Makers of security keys that are believed</h2>
    <Trouble :problem="problem ?? refused" />
    <p v-if="!data?.items?.length" class="quiet">
      None: no attestation proves anything until a maker's root certificate is added.
    </p>
    <table v-else class="plain-table">
      <tbody>
        <tr v-for="m in data.items" :key="m.id">
          <td>{{ m.name }}</td>
          <td class="mono">{{ m.fingerprint }}</td>
          <td class="quiet">since {{ moment(m.validFrom) }}</td>
          <td>
            <Button size="small" :aria-label="`Remove ${m.name}`" @click="remove(m.id ?? '')">
              Remove
            </Button>
          </td>
        </tr>
      </tbody>
    </table>
    <label for="maker">Another maker's root certificate, in PEM</label>
    <textarea id="maker" v-model="certificate" class="plain-input mono wide" rows="3" />
    <Button :loading="busy" :disabled="!certificate" @click="add()">Believe this maker</Button>
  </section>
</template>
