<script setup lang="ts">
import { Button } from "ant-design-vue";
import { ref } from "vue";
import { useRoute } from "vue-router";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import Mark from "../parts/Mark.vue";
import Trouble from "../parts/Trouble.vue";

const link = useRoute().hash.slice(1);
history.replaceState(history.state, "", "/join"); // the link is not to be read over a shoulder
const password = ref("");
const again = ref("");
const joined = ref<Of<"JoinedView">>();
const { busy, refused: problem, attempt } = useAttempt();

const join = () =>
  attempt(async () => {
    joined.value = await take(
      api.POST("/api/v1/users/join", { body: { link, password: password.value } }),
    );
    password.value = again.value = "";
  });
</script>

<template>
  <main class="door">
    <form class="sheet" @submit.prevent="join()">
      <h1 class="row">
        <span class="mark"><Mark /></span> Tolvin
      </h1>
      <Trouble :problem="problem" />
      <template v-if="joined">
        <p role="status">
          Your password is set, {{ joined.name }}. Your login is
          <strong class="mono">{{ joined.login }}</strong>.
        </p>
        <RouterLink to="/sign-in">Sign in</RouterLink>
      </template>
      <p v-else-if="!link" role="alert">
        This page needs the whole link that you were given, with the part behind the #. Open it
        again from where you have it.
      </p>
      <template v-else>
        <p class="quiet">
          Choose your password. Nobody else ever knows it, and this link is good this once.
        </p>
        <label for="password">Password, 10 characters or more</label>
        <input
          id="password"
          v-model="password"
          class="plain-input wide"
          type="password"
          autocomplete="new-password"
        />
        <label for="again">Once more</label>
        <input
          id="again"
          v-model="again"
          class="plain-input wide"
          type="password"
          autocomplete="new-password"
        />
        <p v-if="again && again !== password" class="refused" role="status">✗ The two differ.</p>
        <Button
          type="primary"
          html-type="submit"
          block
          :loading="busy"
          :disabled="password.length < 10 || password !== again"
        >
          Set it
        </Button>
      </template>
    </form>
  </main>
</template>
