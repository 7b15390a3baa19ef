<script setup lang="ts">
import { Button } from "ant-design-vue";
import { ref } from "vue";
import { api, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import { moment } from "../words";
import Trouble from "./Trouble.vue";

const { data, problem, reload } = live(
  () => take(api.GET("/api/v1/trust-anchors")),
  (topic) => topic.startsWith("trust-anchor."),
);
const certificate = ref("");
const { busy, refused, attempt } = useAttempt();

const change = (action: () => Promise<unknown>) =>
  attempt(async () => {
    await action();
    certificate.value = "";
    await reload();
  });
const add = () =>
  change(() =>
    take(api.POST("/api/v1/trust-anchors", { body: { certificate: certificate.value } })),
  );
const remove = (id: string) =>
  change(() => take(api.DELETE("/api/v1/trust-anchors/{id}", { params: { path: { id } } })));
</script>

<template>
  <section class="sheet" aria-labelledby="anchors">
    <h2 id="anchors">Trust anchors for attestations</h2>
    <Trouble :problem="problem ?? refused" />
    <p v-if="!data?.items?.length" class="quiet">
      None yet. An attestation proves that a key is inside a security key only when the root
      certificate of the key's manufacturer is here.
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
    <label for="maker">A manufacturer's root certificate, in PEM</label>
    <textarea id="maker" v-model="certificate" class="plain-input mono wide" rows="3" />
    <Button :loading="busy" :disabled="!certificate" @click="add()">Add this trust anchor</Button>
  </section>
</template>
