<script setup lang="ts">
import { Button, Input, Modal, Select, Table } from "ant-design-vue";
import { computed, reactive, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, Problem, type Of, take } from "../api/client";
import { live } from "../api/live";
import Fingerprint from "../parts/Fingerprint.vue";
import Trouble from "../parts/Trouble.vue";
import { distance, looksPrivate, moment } from "../words";

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

const adding = ref(false);
const saving = ref(false);
const refused = ref<Problem>();
const identities = ref<Of<"Identity">[]>([]);
const wish = reactive({
  text: "",
  identityId: undefined as string | undefined,
  custody: "machine",
});
const privateHalf = computed(() => looksPrivate(wish.text));

async function open(): Promise<void> {
  adding.value = true;
  refused.value = undefined;
  const page = await take(api.GET("/api/v1/identities", { params: { query: { limit: 500 } } }));
  identities.value = page.items ?? [];
}

async function save(): Promise<void> {
  if (privateHalf.value) {
    return;
  }
  saving.value = true;
  try {
    const key = await take(api.POST("/api/v1/keys", { body: { ...wish } }));
    adding.value = false;
    wish.text = "";
    await router.push(`/keys/${key.id}`);
  } catch (e) {
    refused.value = e as Problem;
  } finally {
    saving.value = false;
  }
}
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
      <Button type="primary" @click="open()">Register a key</Button>
    </div>
  </div>
  <Trouble :problem="problem" />
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
        <p v-if="search">No key fits “{{ search }}”.</p>
        <p v-else>No keys yet. Register one: paste the line of a .pub file.</p>
      </template>
      <template #bodyCell="{ column, record }">
        <RouterLink v-if="column.key === 'identity'" :to="`/keys/${record.id}`">
          {{ record.identity }}
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
  <Modal v-model:open="adding" title="Register a key" :footer="null">
    <Trouble :problem="refused" />
    <label for="text">The line of a .pub file</label>
    <Input.TextArea id="text" v-model:value="wish.text" :rows="4" class="mono" spellcheck="false" />
    <p v-if="privateHalf" class="secret" role="alert">
      ✗ This is a private half. It was not sent. Paste the public file, usually the one that ends in
      .pub; if this one has travelled, treat the key as exposed.
    </p>
    <label for="identity">Whom it belongs to</label>
    <Select
      id="identity"
      v-model:value="wish.identityId"
      show-search
      option-filter-prop="label"
      style="width: 100%"
      :options="identities.map((i) => ({ value: i.id, label: i.name }))"
    />
    <label for="custody">Where its private half is kept</label>
    <Select
      id="custody"
      v-model:value="wish.custody"
      style="width: 100%"
      :options="
        ['machine', 'device', 'module', 'elsewhere'].map((word) => ({ value: word, label: word }))
      "
    />
    <div class="row actions">
      <Button
        type="primary"
        :loading="saving"
        :disabled="!wish.text || !wish.identityId || privateHalf"
        @click="save()"
      >
        Register
      </Button>
      <Button @click="adding = false">Cancel</Button>
    </div>
  </Modal>
</template>

<style scoped>
.head {
  margin-bottom: 14px;
}
.head h1 {
  margin: 0;
}
.next {
  padding: 12px 8px 2px;
  text-align: right;
}
label {
  display: block;
  margin: 12px 0 4px;
}
.secret {
  color: var(--red);
  margin: 8px 0 0;
}
.actions {
  margin-top: 18px;
}
</style>
