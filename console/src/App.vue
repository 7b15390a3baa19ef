<script setup lang="ts">
import { ConfigProvider, theme } from "ant-design-vue";
import { computed, watchEffect } from "vue";
import { useRoute, useRouter } from "vue-router";
import Mark from "./parts/Mark.vue";
import PasswordQuestion from "./parts/PasswordQuestion.vue";
import { OPEN } from "./router";
import { useSession } from "./session";

const session = useSession();
const route = useRoute();
const router = useRouter();

const everything = [
  { to: "/today", name: "Today" },
  { to: "/keys", name: "Keys" },
  { to: "/intake", name: "Intake" },
  { to: "/destinations", name: "Destinations" },
  { to: "/findings", name: "Findings" },
  { to: "/hand-overs", name: "Hand-overs" },
  { to: "/rotations", name: "Rotations" },
  { to: "/rulebook", name: "Rulebook" },
  { to: "/journal", name: "Journal" },
  { to: "/people", name: "People" },
];

const places = computed(() =>
  session.who?.role === "administrator" ? everything : [{ to: "/mine", name: "My keys" }],
);

const look = computed(() => ({
  algorithm: session.dark ? theme.darkAlgorithm : theme.defaultAlgorithm,
  token: {
    colorPrimary: session.dark ? "#2b8ba1" : "#0E5A6B",
    colorLink: session.dark ? "#6fc0d2" : "#0E5A6B",
    colorInfo: session.dark ? "#2b8ba1" : "#0E5A6B",
    colorSuccess: "#2F7A4D",
    colorWarning: "#C98613",
    colorError: "#A8322A",
    colorBgContainer: session.dark ? "#18222a" : "#ffffff",
    borderRadius: 4,
    motion: !navigator.webdriver,
  },
}));

watchEffect(() => {
  document.documentElement.dataset.theme = session.dark ? "dark" : "light";
});

async function leave(): Promise<void> {
  await session.signOut();
  await router.push("/sign-in");
}
</script>

<template>
  <ConfigProvider :theme="look">
    <div v-if="session.who && !OPEN.includes(route.path)" class="frame">
      <header class="top">
        <RouterLink to="/today" class="name"><Mark /> Tolvin</RouterLink>
        <nav aria-label="Pages">
          <RouterLink v-for="place in places" :key="place.to" :to="place.to">
            {{ place.name }}
          </RouterLink>
        </nav>
        <div class="who">
          <button
            type="button"
            :aria-label="session.dark ? 'Use light colours' : 'Use dark colours'"
            @click="session.changeTheme()"
          >
            {{ session.dark ? "☀ light" : "☾ dark" }}
          </button>
          <RouterLink to="/me">{{ session.who.name }}</RouterLink>
          <button type="button" @click="leave()">Sign out</button>
        </div>
      </header>
      <main>
        <RouterView />
      </main>
    </div>
    <RouterView v-else />
    <PasswordQuestion />
  </ConfigProvider>
</template>

<style scoped>
.top {
  display: flex;
  align-items: center;
  gap: 4px 16px;
  padding: 0 24px;
  min-height: 52px;
  background: var(--petrol);
  color: #fff;
  flex-wrap: wrap;
}
.name,
nav a {
  text-decoration: none;
}
nav a:hover {
  background: rgb(255 255 255 / 10%);
}
.name {
  display: flex;
  gap: 10px;
  align-items: center;
  font-size: 18px;
  font-weight: 600;
  letter-spacing: 0.02em;
  color: #fff;
}
nav {
  display: flex;
  gap: 2px;
  flex: 1;
  flex-wrap: wrap;
}
nav a {
  color: #e3f0f3;
  padding: 14px 8px 11px;
  border-bottom: 3px solid transparent;
}
nav a.router-link-active {
  color: #fff;
  border-bottom-color: #fff;
}
.who {
  display: flex;
  gap: 14px;
  align-items: center;
}
.who a {
  color: #fff;
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.who button {
  background: none;
  border: 1px solid #8fb5bf;
  border-radius: 4px;
  color: #fff;
  padding: 3px 10px;
  cursor: pointer;
}
main {
  max-width: 1232px;
  margin: 0 auto;
  padding: 22px 24px 48px;
}
@media (max-width: 600px) {
  .top {
    padding: 8px 12px 0;
    gap: 8px 16px;
  }
  nav {
    order: 3;
    flex-basis: 100%;
  }
  nav a {
    padding: 8px 7px 6px;
  }
  main {
    padding: 14px 12px 40px;
  }
}
</style>
