<script setup lang="ts">
import { Button } from "ant-design-vue";
import { computed, ref } from "vue";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import Trouble from "./Trouble.vue";

/** What an SSH server makes of its accounts' files of keys, and how to put that right. */
const props = defineProps<{ destination: Of<"DestinationView"> }>();
const emit = defineEmits<{ changed: [] }>();
const { busy, refused, attempt } = useAttempt();

const AS_IT_SAYS = "as-it-says";
const KINDS: Record<Of<"ServerKind">, string> = {
  openssh: "OpenSSH",
  dropbear: "Dropbear",
  proftpd: "ProFTPD",
  other: "another kind",
};
const FORMATS: Record<Of<"KeysFormat">, string> = {
  lines: "a line for each key",
  blocks: "a block of RFC 4716 for each key",
};
const WAYS: Record<Of<"FilesWay">, string> = {
  sftp: "over SFTP",
  commands: "by commands in its shell, since there is no SFTP",
  script: "by the script tolvin-files, the only thing that this login runs",
};
const furtherFiles = computed(() => {
  const files = props.destination.settings["further-files"] ?? "none";
  return files === "none" ? [] : files.split(",");
});
const server = computed(() => props.destination.keysServer);
const said = ref(props.destination.settings.server ?? AS_IT_SAYS);

const save = () =>
  attempt(async () => {
    await take(
      api.PATCH("/api/v1/destinations/{id}", {
        params: {
          path: { id: props.destination.id },
          header: { "If-Match": `"${props.destination.version}"` },
        },
        body: { settings: { server: said.value } },
      }),
    );
    emit("changed");
  });
</script>

<template>
  <section v-if="server" class="sheet" aria-labelledby="keys-server">
    <h2 id="keys-server">What it makes of keys</h2>
    <dl class="facts">
      <dt>Calls itself</dt>
      <dd class="mono">{{ server.callsItself ?? "not looked at yet" }}</dd>
      <dt>Taken for</dt>
      <dd>{{ KINDS[server.kind] }}, with {{ FORMATS[server.format] }}</dd>
      <template v-if="furtherFiles.length">
        <dt>Also looks for keys in</dt>
        <dd v-for="file in furtherFiles" :key="file" class="mono">{{ file }}</dd>
      </template>
      <template v-if="server.options">
        <dt>Options it takes</dt>
        <dd>{{ server.options.join(", ") || "none" }}</dd>
      </template>
      <template v-if="server.files">
        <dt>Files are reached</dt>
        <dd>{{ WAYS[server.files] }}</dd>
      </template>
      <template v-if="server.logConfiguration">
        <dt>To log sign-ins</dt>
        <dd>
          <div v-for="line in server.logConfiguration" :key="line" class="mono wrap">
            {{ line }}
          </div>
        </dd>
      </template>
    </dl>
    <form class="row" @submit.prevent="save()">
      <label for="server-kind">It is</label>
      <select id="server-kind" v-model="said" class="plain-input">
        <option :value="AS_IT_SAYS">what it calls itself</option>
        <option v-for="(title, kind) in KINDS" :key="kind" :value="kind">{{ title }}</option>
      </select>
      <Button
        html-type="submit"
        :loading="busy"
        :disabled="said === (destination.settings.server ?? AS_IT_SAYS)"
      >
        Put it right
      </Button>
    </form>
    <Trouble :problem="refused" />
  </section>
</template>

<style scoped>
form {
  margin-top: 12px;
}
.wrap {
  overflow-wrap: anywhere;
}
</style>
