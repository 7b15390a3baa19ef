import { createRouter, createWebHistory } from "vue-router";
import { useSession } from "./session";

/** The pages that need no sign-in. */
export const OPEN = ["/sign-in", "/join"];

/** The pages of people who are no administrators. */
const THEIRS = ["/mine", "/me"];

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", redirect: "/today" },
    { path: "/join", component: () => import("./pages/Join.vue") },
    { path: "/me", component: () => import("./pages/Me.vue") },
    { path: "/people", component: () => import("./pages/People.vue") },
    { path: "/sign-in", component: () => import("./pages/SignIn.vue") },
    { path: "/today", component: () => import("./pages/Today.vue") },
    { path: "/keys", component: () => import("./pages/Keys.vue") },
    { path: "/mine", component: () => import("./pages/MyKeys.vue") },
    { path: "/intake", component: () => import("./pages/Intake.vue") },
    { path: "/keys/:id", component: () => import("./pages/KeyPage.vue"), props: true },
    { path: "/destinations", component: () => import("./pages/Destinations.vue") },
    { path: "/destinations/attach", component: () => import("./pages/Attach.vue") },
    {
      path: "/destinations/:id",
      component: () => import("./pages/DestinationPage.vue"),
      props: true,
    },
    { path: "/accounts/:id", component: () => import("./pages/AccountPage.vue"), props: true },
    { path: "/findings", component: () => import("./pages/Findings.vue") },
    { path: "/hand-overs", component: () => import("./pages/HandOvers.vue") },
    { path: "/registrations", component: () => import("./pages/Registrations.vue") },
    { path: "/registrations/new", component: () => import("./pages/Register.vue") },
    {
      path: "/registrations/:id",
      component: () => import("./pages/RegistrationPage.vue"),
      props: true,
    },
    { path: "/rotations", component: () => import("./pages/Rotations.vue") },
    { path: "/rotations/:id", component: () => import("./pages/RotationPage.vue"), props: true },
    { path: "/rulebook", component: () => import("./pages/Rulebook.vue") },
    { path: "/journal", component: () => import("./pages/Journal.vue") },
    { path: "/:other(.*)*", component: () => import("./pages/Missing.vue") },
  ],
});

router.beforeEach(async (to) => {
  const session = useSession();
  if (!session.known) {
    await session.look();
  }
  if (!session.who && !OPEN.includes(to.path)) {
    return { path: "/sign-in", query: { to: to.fullPath } };
  }
  // Whoever is no administrator sees what is their own.
  if (session.who && session.who.role !== "administrator" && !THEIRS.includes(to.path)) {
    return OPEN.includes(to.path) ? true : "/mine";
  }
  return true;
});
