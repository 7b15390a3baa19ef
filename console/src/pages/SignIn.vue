<script setup lang="ts">
import { Button, Input } from "ant-design-vue";
import { ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { useAttempt } from "../attempt";
import Mark from "../parts/Mark.vue";
import Trouble from "../parts/Trouble.vue";
import { useSession } from "../session";

const session = useSession();
const route = useRoute();
const router = useRouter();
const login = ref("");
const password = ref("");
const { busy, refused: problem, attempt } = useAttempt();

const enter = () =>
  attempt(async () => {
    await session.signIn(login.value, password.value);
    const to = typeof route.query.to === "string" ? route.query.to : "/today";
    await router.push(to.startsWith("/") && !to.startsWith("//") ? to : "/today");
  });
</script>

<template>
  <main class="door">
    <form class="sheet" @submit.prevent="enter()">
      <h1 class="row">
        <span class="mark"><Mark /></span> Tolvin
      </h1>
      <p class="quiet">Keys registered, proven and rotated without breaking an integration.</p>
      <Trouble :problem="problem" />
      <label for="login">Login</label>
      <Input id="login" v-model:value="login" autocomplete="username" autofocus />
      <label for="password">Password</label>
      <Input
        id="password"
        v-model:value="password"
        type="password"
        autocomplete="current-password"
      />
      <Button type="primary" html-type="submit" block :loading="busy">Sign in</Button>
      <p class="quiet hint">
        The start command prints the first login and password; they also lie in
        <span class="mono">first-sign-in.properties</span> in the service's data directory.
      </p>
    </form>
  </main>
</template>

<style scoped>
.hint {
  font-size: 12.5px;
  margin: 16px 0 0;
}
</style>
