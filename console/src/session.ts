import { defineStore } from "pinia";
import { ref } from "vue";
import { api, type Of, rememberCsrf, take } from "./api/client";

/** Who is signed in, and how they like it to look. */
export const useSession = defineStore("session", () => {
  const who = ref<Of<"SessionView">>();
  const known = ref(false);
  const dark = ref(localStorage.getItem("theme") === "dark");

  function set(session: Of<"SessionView"> | undefined): void {
    who.value = session;
    rememberCsrf(session?.csrf);
    known.value = true;
  }

  async function look(): Promise<void> {
    try {
      set(await take(api.GET("/api/v1/session")));
    } catch {
      set(undefined);
    }
  }

  async function signIn(login: string, password: string): Promise<void> {
    set(await take(api.POST("/api/v1/session", { body: { login, password } })));
  }

  async function signOut(): Promise<void> {
    await take(api.DELETE("/api/v1/session"));
    set(undefined);
  }

  function changeTheme(): void {
    dark.value = !dark.value;
    localStorage.setItem("theme", dark.value ? "dark" : "light");
  }

  return { who, known, dark, look, signIn, signOut, changeTheme };
});
