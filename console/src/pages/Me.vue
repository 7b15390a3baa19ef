<script setup lang="ts">
import { Button } from "ant-design-vue";
import { ref } from "vue";
import { api, take } from "../api/client";
import { useAttempt } from "../attempt";
import NewPassword from "../parts/NewPassword.vue";
import Sessions from "../parts/Sessions.vue";
import Tokens from "../parts/Tokens.vue";
import Trouble from "../parts/Trouble.vue";
import { useSession } from "../session";
import { moment } from "../words";

const session = useSession();
const password = ref("");
const next = ref("");
const changed = ref(false);
const changes = ref(0); // the fields are empty again after each
const { busy, refused: problem, attempt } = useAttempt();

const change = () =>
  attempt(async () => {
    changed.value = false;
    await take(
      api.PUT("/api/v1/session/password", { body: { password: password.value, next: next.value } }),
    );
    password.value = next.value = "";
    changes.value++;
    changed.value = true;
  });
</script>

<template>
  <h1>{{ session.who?.name }}</h1>
  <p class="quiet">
    You sign in as <span class="mono">{{ session.who?.login }}</span>, as
    {{ session.who?.role === "administrator" ? "an administrator" : "yourself" }}.
    <template v-if="session.who?.openedAt">
      Your password was chosen {{ moment(session.who.openedAt) }}, with a link that
      {{ session.who.openedBy }} made.
    </template>
  </p>
  <section class="sheet" aria-labelledby="password-heading">
    <h2 id="password-heading">Password</h2>
    <Trouble :problem="problem" />
    <form class="change" @submit.prevent="change()">
      <label for="so-far">The one so far</label>
      <input
        id="so-far"
        v-model="password"
        class="plain-input"
        type="password"
        autocomplete="current-password"
      />
      <NewPassword id="next" :key="changes" v-model="next" label="The new one" />
      <Button html-type="submit" :loading="busy" :disabled="!password || !next">Change it</Button>
      <span class="quiet">Your other sessions end.</span>
    </form>
    <p v-if="changed" class="accepted" role="status">✓ The password was changed.</p>
  </section>
  <section class="sheet" aria-labelledby="sessions-heading">
    <h2 id="sessions-heading">Where you are signed in</h2>
    <Sessions :login="session.who?.login" />
  </section>
  <section class="sheet" aria-labelledby="tokens-heading">
    <h2 id="tokens-heading">Tokens for your programs</h2>
    <Tokens :login="session.who?.login" />
  </section>
</template>

<style scoped>
.change {
  display: grid;
  grid-template-columns: max-content minmax(0, 320px);
  gap: 8px 16px;
  align-items: center;
}
.change :deep(p) {
  grid-column: 2;
  margin: 0;
}
.change button {
  justify-self: start;
}
@media (max-width: 600px) {
  .change {
    grid-template-columns: 1fr;
  }
}
</style>
