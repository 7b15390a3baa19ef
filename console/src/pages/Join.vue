<script setup lang="ts">
import { Button } from "ant-design-vue";
import { ref } from "vue";
import { useRoute } from "vue-router";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import Mark from "../parts/Mark.vue";
import NewPassword from "../parts/NewPassword.vue";
import Trouble from "../parts/Trouble.vue";

const link = useRoute().hash.slice(1);
history.replaceState(history.state, "", "/join"); // the link is not to be read over a shoulder
const password = ref("");
const joined = ref<Of<"JoinedView">>();
const { busy, refused: problem, attempt } = useAttempt();

const join = () =>
  attempt(async () => {
    joined.value = await take(
      api.POST("/api/v1/users/join", { body: { link, password: password.value } }),
    );
    password.value = "";
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
        <NewPassword id="password" v-model="password" label="Password" />
        <Button type="primary" html-type="submit" block :loading="busy" :disabled="!password">
          Set it
        </Button>
      </template>
    </form>
  </main>
</template>
