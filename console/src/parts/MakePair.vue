<script setup lang="ts">
import { Button } from "ant-design-vue";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import Trouble from "./Trouble.vue";

const router = useRouter();
const identities = ref<Of<"IdentityView">[]>([]);
const identity = ref("");
const choice = ref("ed25519");
const { busy, refused: problem, attempt } = useAttempt();

onMounted(async () => {
  const page = await take(api.GET("/api/v1/identities", { params: { query: { limit: 500 } } }));
  identities.value = page.items ?? [];
});

const make = () =>
  attempt(async () => {
    const made = await take(
      api.POST("/api/v1/made-keys", {
        body: { identityId: identity.value, choice: choice.value },
      }),
    );
    await router.push(`/keys/${made.id}`);
  });
</script>

<template>
  <section class="sheet" aria-labelledby="make">
    <h2 id="make">Make a pair in the coffer</h2>
    <Trouble :problem="problem" />
    <form class="row" @submit.prevent="make()">
      <label for="make-for">For</label>
      <select id="make-for" v-model="identity" class="plain-input">
        <option value="" disabled>an identity</option>
        <option v-for="i in identities" :key="i.id" :value="i.id">{{ i.name }}</option>
      </select>
      <label for="make-kind">Kind</label>
      <select id="make-kind" v-model="choice" class="plain-input">
        <option value="ed25519">Ed25519</option>
        <option value="rsa-3072">RSA 3072</option>
        <option value="rsa-4096">RSA 4096</option>
        <option value="ecdsa-p256">ECDSA P-256</option>
        <option value="ecdsa-p384">ECDSA P-384</option>
        <option value="ecdsa-p521">ECDSA P-521</option>
      </select>
      <Button type="primary" html-type="submit" :loading="busy" :disabled="!identity">
        Make it
      </Button>
      <span class="quiet">
        The private key stays here, encrypted, until it is supplied to a seat, or taken once by its
        owner.
      </span>
    </form>
  </section>
</template>
