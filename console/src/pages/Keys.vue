<script setup lang="ts">
import { Button, Input, Table } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, type Of, take } from "../api/client";
import { live } from "../api/live";
import Fingerprint from "../parts/Fingerprint.vue";
import Trouble from "../parts/Trouble.vue";
import { distance, isFingerprint, moment } from "../words";

const route = useRoute();
const router = useRouter();
const search = ref(typeof route.query.search === "string" ? route.query.search : "");
const after = computed(() =>
  typeof route.query.after === "string" ? route.query.after : undefined,
);

const { data, problem, reload } = live(
  () =>
    take(
      api.GET("/api/v1/keys", {
        params: { query: { search: search.value, after: after.value, limit: 50 } },
      }),
    ),
  (topic) => /^(key|placement|rotation|seat)\./.test(topic),
);
const now = computed(() => (data.value ? Date.now() : 0));

let typing: ReturnType<typeof setTimeout> | undefined;
watch(search, (value) => {
  clearTimeout(typing);
  typing = setTimeout(() => {
    void router.replace({ query: value ? { search: value } : {} }).then(reload);
  }, 250);
});
watch(after, () => void reload());

const columns = [
  { title: "Identity", key: "identity" },
  { title: "Fingerprint", key: "fingerprint" },
  { title: "Type", key: "type", width: 130 },
  { title: "Custody", dataIndex: "custody", width: 100 },
  { title: "Last used", key: "used", width: 120 },
  { title: "Due", key: "due", width: 140 },
];

const nearest = ref<Of<"ComparedView">>();
watch(
  search,
  async (text) => {
    nearest.value = undefined;
    if (isFingerprint(text)) {
      nearest.value = await take(api.POST("/api/v1/keys/compare", { body: { text } })).catch(
        () => undefined,
      );
    }
  },
  { immediate: true },
);
</script>

<template>
  <div class="row spread head">
    <h1>Keys</h1>
    <div class="row">
      <Input
        v-model:value="search"
        aria-label="Search keys"
        placeholder="Fingerprint, identity, team, comment"
        allow-clear
        style="width: 300px; max-width: 100%"
      />
      <RouterLink to="/registrations/new"><Button>Place on accounts</Button></RouterLink>
      <RouterLink to="/intake"><Button type="primary">Take keys in</Button></RouterLink>
    </div>
  </div>
  <Trouble :problem="problem" />
  <div v-if="nearest" class="sheet" role="status">
    <p v-if="!nearest.matches?.length" class="note">
      ✗ No key comes near this fingerprint ({{ nearest.notation }}).
    </p>
    <p v-for="m in nearest.matches" :key="m.keyId" class="note">
      <span :class="m.same ? 'same' : 'differs'">{{ m.same ? "✓" : "✗" }} {{ m.sentence }}:</span>
      <RouterLink :to="`/keys/${m.keyId}`">{{ m.identity ?? "nobody's key" }}</RouterLink>
      <Fingerprint :value="m.fingerprint" />
    </p>
  </div>
  <div class="sheet wide">
    <Table
      :columns="columns"
      :data-source="data?.items ?? []"
      :loading="!data && !problem"
      :pagination="false"
      row-key="id"
      size="small"
    >
      <template #emptyText>
        <p v-if="search" class="quiet">No key fits “{{ search }}”.</p>
        <p v-else class="quiet">No keys yet. <RouterLink to="/intake">Take some in</RouterLink>.</p>
      </template>
      <template #bodyCell="{ column, record }">
        <RouterLink v-if="column.key === 'identity'" :to="`/keys/${record.id}`">
          {{ record.identity ?? "nobody yet" }}
        </RouterLink>
        <Fingerprint v-else-if="column.key === 'fingerprint'" :value="record.fingerprint" short />
        <template v-else-if="column.key === 'type'">
          {{ record.type.replace("ssh-", "") }} {{ record.bits }}
        </template>
        <span v-else-if="column.key === 'used'" class="quiet" :title="moment(record.lastUsedAt)">
          {{ distance(record.lastUsedAt, now) }}
        </span>
        <span v-else-if="column.key === 'due'" class="quiet" :title="record.due?.reason">
          {{ record.due ? distance(record.due.at, now) : "no rule" }}
        </span>
      </template>
    </Table>
    <div v-if="data?.next" class="next">
      <RouterLink :to="{ query: { search: search || undefined, after: data.next } }">
        Next page →
      </RouterLink>
    </div>
  </div>
</template>

<style scoped>
.next {
  padding: 12px 8px 2px;
  text-align: right;
}
.note {
  margin: 0;
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
}
.same {
  color: var(--green);
}
.differs {
  color: var(--red);
}
</style>
