import { ref, type Ref } from "vue";
import type { Problem } from "./api/client";

export interface Attempts {
  busy: Ref<boolean>;
  refused: Ref<Problem | undefined>;
  attempt: (action: () => Promise<unknown>) => Promise<void>;
}

/** Something that a person does and the service may refuse: busy meanwhile, the reason afterwards. */
export function useAttempt(): Attempts {
  const busy = ref(false);
  const refused = ref<Problem>();

  async function attempt(action: () => Promise<unknown>): Promise<void> {
    busy.value = true;
    refused.value = undefined;
    try {
      await action();
    } catch (e) {
      refused.value = e as Problem;
    } finally {
      busy.value = false;
    }
  }
  return { busy, refused, attempt };
}
