import { ref, type Ref } from "vue";

/** Copies text, and says so for a moment. */
export function useCopy(text: () => string): { copied: Ref<boolean>; copy: () => Promise<void> } {
  const copied = ref(false);
  async function copy(): Promise<void> {
    await navigator.clipboard?.writeText(text());
    copied.value = true;
    setTimeout(() => (copied.value = false), 1500);
  }
  return { copied, copy };
}
