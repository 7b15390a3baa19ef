<script setup lang="ts">
import { Button } from "ant-design-vue";
import { computed, onScopeDispose, ref, watch } from "vue";
import type { Problem } from "../api/client";
import Trouble from "./Trouble.vue";

/** Something to pick, by what people call it. */
export interface Thing {
  id: string;
  name: string;
  note: string;
}

const props = defineProps<{
  what: string;
  hint: string;
  /** Finds some of them, and says whether there are more. */
  find: (search: string) => Promise<{ items: Thing[]; more: boolean }>;
}>();
const picked = defineModel<Thing[]>({ required: true });

const search = ref("");
const found = ref<Thing[]>([]);
const more = ref(false);
const problem = ref<Problem>();
const ids = computed(() => new Set(picked.value.map((p) => p.id)));

async function look(): Promise<void> {
  const asked = search.value;
  try {
    const page = await props.find(asked);
    if (asked === search.value) {
      found.value = page.items;
      more.value = page.more;
      problem.value = undefined;
    }
  } catch (e) {
    problem.value = e as Problem;
  }
}
let typing: ReturnType<typeof setTimeout> | undefined;
onScopeDispose(() => clearTimeout(typing));
watch(search, () => {
  clearTimeout(typing);
  typing = setTimeout(() => void look(), 250);
});
void look();

const drop = (id: string) => (picked.value = picked.value.filter((p) => p.id !== id));
const pick = (thing: Thing) =>
  ids.value.has(thing.id) ? drop(thing.id) : (picked.value = [...picked.value, thing]);
const pickAll = () =>
  (picked.value = [...picked.value, ...found.value.filter((f) => !ids.value.has(f.id))]);
</script>

<template>
  <section class="sheet">
    <div class="row spread">
      <h2>{{ what }}</h2>
      <span class="quiet">{{ picked.length }} chosen</span>
    </div>
    <input
      :id="what.toLowerCase()"
      v-model="search"
      class="plain-input search"
      type="search"
      :placeholder="hint"
      :aria-label="`Search ${what.toLowerCase()}`"
    />
    <Trouble :problem="problem" />
    <p v-if="!found.length && !problem" class="quiet">None fits “{{ search }}”.</p>
    <ul class="found" tabindex="0" :aria-label="`${what} that fit`">
      <li v-for="thing in found" :key="thing.id">
        <label>
          <input type="checkbox" :checked="ids.has(thing.id)" @change="pick(thing)" />
          <span class="name">{{ thing.name }}</span>
          <span class="quiet note">{{ thing.note }}</span>
        </label>
      </li>
    </ul>
    <div class="row spread">
      <Button size="small" :disabled="!found.length" @click="pickAll()">
        Choose all {{ found.length }} shown
      </Button>
      <span v-if="more" class="quiet">There are more; search for them.</span>
      <Button v-if="picked.length" size="small" @click="picked = []">Choose none</Button>
    </div>
  </section>
</template>

<style scoped>
.search {
  width: 100%;
}
.found {
  list-style: none;
  margin: 8px 0;
  padding: 0;
  height: 212px;
  overflow-y: auto;
}
.found label {
  display: flex;
  gap: 8px;
  padding: 3px 0;
  cursor: pointer;
}
.name {
  overflow-wrap: anywhere;
}
.note {
  margin-left: auto;
  white-space: nowrap;
}
</style>
