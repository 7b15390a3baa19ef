import { onScopeDispose, ref, type Ref } from "vue";
import { Problem } from "./client";

type Listener = (topic: string) => void;

const listeners = new Set<Listener>();
let source: EventSource | undefined;

/** Listens to the service's events while anybody is interested. */
function listen(listener: Listener): () => void {
  listeners.add(listener);
  source ??= open();
  return () => {
    listeners.delete(listener);
    if (listeners.size === 0) {
      source?.close();
      source = undefined;
    }
  };
}

function open(): EventSource {
  const stream = new EventSource("/api/v1/events");
  const tell = (topic: string) => listeners.forEach((listener) => listener(topic));
  stream.onmessage = (message) => tell((JSON.parse(message.data) as { topic: string }).topic);
  // After a break something may have been missed, so everything is looked at again.
  stream.onopen = () => tell("reconnected");
  return stream;
}

// A page that the browser keeps for "back" must not keep its connection: browsers allow only a few.
window.addEventListener("pagehide", () => {
  source?.close();
  source = undefined;
});
window.addEventListener("pageshow", (event) => {
  if (event.persisted && listeners.size > 0) {
    source = open();
  }
});

export interface Live<T> {
  data: Ref<T | undefined>;
  problem: Ref<Problem | undefined>;
  reload: () => Promise<void>;
}

/** Data that is loaded now, and again whenever the service tells of something that may change it. */
export function live<T>(load: () => Promise<T>, concerns: (topic: string) => boolean): Live<T> {
  const data = ref<T>() as Ref<T | undefined>;
  const problem = ref<Problem>();
  let pending: ReturnType<typeof setTimeout> | undefined;
  let asked = 0;

  async function reload(): Promise<void> {
    const mine = ++asked;
    try {
      const loaded = await load();
      if (mine === asked) {
        data.value = loaded;
        problem.value = undefined;
      }
    } catch (e) {
      problem.value = e instanceof Problem ? e : new Problem(0, String(e), "");
    }
  }

  const stop = listen((topic) => {
    if (topic !== "alive" && (topic === "reconnected" || concerns(topic))) {
      pending ??= setTimeout(() => {
        pending = undefined;
        void reload();
      }, 150);
    }
  });
  onScopeDispose(() => {
    stop();
    clearTimeout(pending);
  });
  void reload();
  return { data, problem, reload };
}

export const anything = (): boolean => true;
