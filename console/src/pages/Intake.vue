<script setup lang="ts">
import { Button, Input, Progress, Table } from "ant-design-vue";
import { computed, onMounted, ref, shallowRef, watch } from "vue";
import { api, Problem, type Of, take } from "../api/client";
import { merged, named, type Shown } from "../intake";
import Fingerprint from "../parts/Fingerprint.vue";
import MakePair from "../parts/MakePair.vue";
import Trouble from "../parts/Trouble.vue";
import Verdict from "../parts/Verdict.vue";
import { carriesPrivateKey } from "../private";

const CHUNK = 500;

const text = ref("");
const files = ref<{ name: string; content: Uint8Array<ArrayBuffer> }[]>([]);
const holder = ref("");
const custody = ref<Of<"Custody">>("machine");
const identities = ref<Of<"IdentityView">[]>([]);
const identityId = computed(() => identities.value.find((i) => i.name === holder.value)?.id);
const pieces = shallowRef<Shown[]>([]);
const secret = ref("");
const looking = ref(false);
const problem = ref<Problem>();
const done = ref(0);
const taking = ref(false);
const taken = ref(false);
const onlyNotable = ref(false);
const over = ref(false);

async function offer(search: string): Promise<void> {
  const query = { search, limit: 50 };
  const page = await take(api.GET("/api/v1/identities", { params: { query } }));
  identities.value = page.items ?? [];
}
onMounted(() => void offer(""));
watch(holder, (name) => void offer(name.trim()));

let typing: ReturnType<typeof setTimeout> | undefined;
watch([text, identityId, custody], () => {
  clearTimeout(typing);
  typing = setTimeout(() => void look(), 300);
});

/** Everything that is to be looked at: what was pasted, then what was dropped. */
function contents(): { name: string; content: Uint8Array<ArrayBuffer> }[] {
  const pasted = { name: "pasted", content: new TextEncoder().encode(text.value) };
  return text.value.trim() ? [pasted, ...files.value] : files.value;
}

let latest = 0;
async function look(): Promise<void> {
  const turn = ++latest;
  const found: Shown[] = [];
  problem.value = undefined;
  taken.value = false;
  const all = contents();
  secret.value = all.find((one) => carriesPrivateKey(one.content))?.name ?? "";
  if (secret.value) {
    pieces.value = [];
    return;
  }
  looking.value = true;
  try {
    for (const one of all) {
      const answer = await take(
        api.POST("/api/v1/intake/look", {
          params: { query: { identity: identityId.value, custody: custody.value } },
          headers: { "Content-Type": "application/octet-stream" },
          body: one.content as never,
          bodySerializer: (body: unknown) => body as Uint8Array<ArrayBuffer>,
        }),
      );
      found.push(...(answer.pieces ?? []).map((p) => named(p, one.name)));
    }
    if (turn === latest) {
      pieces.value = found;
    }
  } catch (e) {
    problem.value = e as Problem;
  } finally {
    looking.value = false;
  }
}

async function dropped(list: FileList | null | undefined): Promise<void> {
  over.value = false;
  for (const file of Array.from(list ?? [])) {
    files.value.push({ name: file.name, content: new Uint8Array(await file.arrayBuffer()) });
  }
  await look();
}

function forget(): void {
  text.value = "";
  files.value = [];
  pieces.value = [];
  secret.value = "";
  taken.value = false;
}

function choose(line: string): void {
  text.value = line;
  files.value = [];
}

const ready = computed(() =>
  pieces.value.filter(
    (p) => p.key && !p.registeredAs && p.verdict?.outcome !== "refused" && !p.result,
  ),
);
const counts = computed(() => {
  const all = new Map<string, number>();
  for (const p of pieces.value) {
    const word =
      p.result?.outcome ?? (p.registeredAs ? "there" : (p.verdict?.outcome ?? p.outcome));
    all.set(word ?? "", (all.get(word ?? "") ?? 0) + 1);
  }
  return [...all].sort((a, b) => b[1] - a[1]);
});
const shown = computed(() =>
  onlyNotable.value
    ? pieces.value.filter(
        (p) => p.result?.outcome !== "registered" && p.verdict?.outcome !== "accepted",
      )
    : pieces.value,
);
const single = computed(() => (pieces.value.length === 1 ? pieces.value[0] : undefined));

async function takeIn(): Promise<void> {
  taking.value = true;
  done.value = 0;
  problem.value = undefined;
  const all = [...ready.value];
  try {
    for (let from = 0; from < all.length; from += CHUNK) {
      const chunk = all.slice(from, from + CHUNK);
      const answer = await take(
        api.POST("/api/v1/intake", {
          body: {
            lines: chunk.map((p) => p.key?.line ?? ""),
            identityId: identityId.value,
            byComment: !identityId.value,
            custody: custody.value,
          },
        }),
      );
      pieces.value = merged(pieces.value, chunk, answer.results ?? []);
      done.value = Math.min(from + CHUNK, all.length) / all.length;
    }
    taken.value = true;
  } catch (e) {
    problem.value = e as Problem;
  } finally {
    taking.value = false;
  }
}

const columns = [
  { title: "From", key: "from", width: 130 },
  { title: "Understood", key: "understood" },
  { title: "Mended", key: "mended", width: 190 },
  { title: "Verdict", key: "verdict", width: 340 },
];
</script>

<template>
  <div class="row spread head">
    <h1>Intake</h1>
    <span class="quiet">Nothing is kept before you take it in.</span>
  </div>
  <Trouble :problem="problem" />
  <div class="columns">
    <section
      class="sheet"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="dropped($event.dataTransfer?.files)"
    >
      <label for="text" class="title">Paste keys in any form, or drop files here</label>
      <Input.TextArea
        id="text"
        v-model:value="text"
        :rows="7"
        class="mono"
        spellcheck="false"
        placeholder="Lines of .pub files or of authorized_keys, PEM, RFC 4716, JWK, a certificate, a whole mail…"
      />
      <div class="row files">
        <label class="pick">
          Choose files
          <input
            type="file"
            multiple
            @change="dropped(($event.target as HTMLInputElement).files)"
          />
        </label>
        <span v-for="file in files" :key="file.name" class="mono quiet">{{ file.name }}</span>
        <Button v-if="text || files.length" size="small" @click="forget()">Start over</Button>
      </div>
      <p v-if="secret" class="refused" role="alert">
        ✗ This is a private key ({{ secret }}). It was not sent. Give the public file, usually the
        one that ends in .pub; if this one has travelled, treat the key as exposed and replace it.
      </p>
    </section>
    <section class="sheet">
      <label for="identity">Whom they belong to</label>
      <input
        id="identity"
        v-model="holder"
        class="plain-input"
        list="identities"
        placeholder="whoever the comment names, or nobody yet"
      />
      <datalist id="identities">
        <option v-for="i in identities" :key="i.id" :value="i.name" />
      </datalist>
      <p v-if="holder && !identityId" class="refused" role="status">
        ✗ There is no identity of this name.
      </p>
      <label for="custody">Where their private keys are kept</label>
      <select id="custody" v-model="custody" class="plain-input">
        <option v-for="word in ['machine', 'device', 'module', 'elsewhere']" :key="word">
          {{ word }}
        </option>
      </select>
      <Button
        type="primary"
        class="take"
        :loading="taking"
        :disabled="!ready.length || looking || (!!holder && !identityId)"
        @click="takeIn()"
      >
        {{
          taken && !ready.length
            ? "Taken in"
            : ready.length === 1
              ? "Take this key in"
              : `Take ${ready.length} keys in`
        }}
      </Button>
      <Progress
        v-if="taking || (taken && pieces.length > CHUNK)"
        :percent="Math.round(done * 100)"
        aria-label="Progress of the intake"
      />
      <p class="counts" role="status">
        <template v-if="pieces.length">
          {{ pieces.length }} {{ pieces.length === 1 ? "piece" : "pieces" }}:
          <span v-for="[word, count] in counts" :key="word" class="count">
            {{ count }} {{ word.replaceAll("-", " ") }}
          </span>
        </template>
        <template v-else-if="looking">Looking…</template>
      </p>
    </section>
  </div>

  <section v-if="single" class="sheet">
    <h2>What was understood</h2>
    <dl class="facts">
      <template v-if="single.form">
        <dt>Form</dt>
        <dd>{{ single.form.replaceAll("-", " ") }}</dd>
      </template>
      <template v-if="single.key">
        <dt>Fingerprint</dt>
        <dd><Fingerprint :value="single.key.fingerprint" /></dd>
        <dt>MD5</dt>
        <dd class="mono">{{ single.key.md5 }}</dd>
        <dt>Type</dt>
        <dd>{{ single.key.type }}, {{ single.key.bits }} bits</dd>
        <dt>Comment</dt>
        <dd>{{ single.key.comment || "none" }}</dd>
        <template v-if="single.key.options">
          <dt>Options</dt>
          <dd class="mono">{{ single.key.options }}</dd>
        </template>
      </template>
      <template v-if="single.corrections?.length">
        <dt>Mended</dt>
        <dd>
          <div v-for="m in single.corrections" :key="m.word">{{ m.sentence }}</div>
        </dd>
      </template>
      <template v-if="single.result">
        <dt>Taken in</dt>
        <dd>
          <RouterLink v-if="single.result.keyId" :to="`/keys/${single.result.keyId}`">
            {{ single.result.outcome }}
          </RouterLink>
          <template v-else>{{ single.result.outcome }}: {{ single.result.reason }}</template>
        </dd>
      </template>
      <template v-else-if="single.registeredAs">
        <dt>Registered</dt>
        <dd>
          already, for
          <RouterLink :to="`/keys/${single.registeredAs}`">{{ single.registeredFor }}</RouterLink>
        </dd>
      </template>
      <template v-if="single.verdict">
        <dt>Verdict</dt>
        <dd><Verdict :verdict="single.verdict" /></dd>
      </template>
      <template v-if="single.mayGo?.length">
        <dt>Where it may go</dt>
        <dd>
          <div v-for="place in single.mayGo" :key="place.destination" class="place">
            <b>{{ place.destination }}</b>
            <Verdict :verdict="place.verdict" brief />
          </div>
        </dd>
      </template>
      <template v-if="single.refusal">
        <dt>No key</dt>
        <dd>
          <span class="refused">✗ {{ single.refusal.sentence }}</span> {{ single.refusal.remedy }}
        </dd>
      </template>
      <template v-if="single.question">
        <dt>Question</dt>
        <dd>
          {{ single.question }}
          <div v-for="choice in single.choices" :key="choice.label" class="choice">
            <Button v-if="choice.line" size="small" @click="choose(choice.line)">This one</Button>
            {{ choice.label }}
          </div>
        </dd>
      </template>
      <template v-if="single.certificate">
        <dt>OpenSSH certificate</dt>
        <dd>
          It is shown, not registered: register the public key that it was made for.
          <dl class="facts inner">
            <template v-for="(value, name) in single.certificate" :key="name">
              <dt>{{ name }}</dt>
              <dd class="mono">{{ Array.isArray(value) ? value.join(", ") || "none" : value }}</dd>
            </template>
          </dl>
        </dd>
      </template>
    </dl>
  </section>

  <section v-else-if="pieces.length" class="sheet wide">
    <div class="row spread">
      <h2>What was understood, piece by piece</h2>
      <label class="inline">
        <input v-model="onlyNotable" type="checkbox" /> only what needs a look
      </label>
    </div>
    <Table
      :columns="columns"
      :data-source="shown"
      :pagination="{ pageSize: 25, showSizeChanger: false, hideOnSinglePage: true }"
      :row-key="(p: Shown) => `${p.file} ${p.number}`"
      size="small"
    >
      <template #bodyCell="{ column, record: p }">
        <template v-if="column.key === 'from'">
          <div>{{ p.file }}</div>
          <div class="quiet">
            line {{ p.line }}<template v-if="p.lines > 1"> to {{ p.line + p.lines - 1 }}</template>
          </div>
        </template>
        <template v-else-if="column.key === 'understood'">
          <template v-if="p.key">
            <div>
              {{ p.key.type }} {{ p.key.bits }} <b>{{ p.key.comment }}</b>
            </div>
            <Fingerprint :value="p.key.fingerprint" short />
          </template>
          <template v-else-if="p.question">? {{ p.question }}</template>
          <template v-else-if="p.certificate">an OpenSSH certificate, not registered</template>
          <span v-else class="quiet">no key</span>
        </template>
        <template v-else-if="column.key === 'mended'">
          <span v-for="m in p.corrections" :key="m.word" class="quiet" :title="m.sentence">
            {{ m.word.replaceAll("-", " ") }}{{ " " }}
          </span>
        </template>
        <template v-else-if="column.key === 'verdict'">
          <template v-if="p.result">
            <RouterLink v-if="p.result.keyId" :to="`/keys/${p.result.keyId}`">
              ✓ {{ p.result.outcome }}
            </RouterLink>
            <span v-else class="refused">✗ {{ p.result.outcome }}</span>
            {{ p.result.identity ? `for ${p.result.identity}` : "" }} {{ p.result.reason }}
          </template>
          <template v-else-if="p.registeredAs">
            already registered, for
            <RouterLink :to="`/keys/${p.registeredAs}`">{{ p.registeredFor }}</RouterLink>
          </template>
          <template v-else-if="p.refusal">{{ p.refusal.sentence }}</template>
          <template v-else-if="p.question">
            <div v-for="choice in p.choices" :key="choice.label" class="choice">
              <Button v-if="choice.line" size="small" @click="choose(choice.line)">
                This one
              </Button>
              {{ choice.label }}
            </div>
          </template>
          <Verdict v-else :verdict="p.verdict" />
        </template>
      </template>
    </Table>
  </section>
  <MakePair />
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.6fr) minmax(0, 1fr);
  gap: 16px;
}
.title {
  font-weight: 600;
}
label {
  display: block;
  margin: 0 0 4px;
}
label:not(:first-child) {
  margin-top: 12px;
}
.inline {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.files {
  margin-top: 10px;
}
.pick {
  margin: 0 !important;
  padding: 2px 12px;
  border: 1px solid var(--line);
  border-radius: 4px;
  cursor: pointer;
}
.pick:focus-within {
  outline: 2px solid var(--amber);
}
.pick input {
  position: absolute;
  opacity: 0;
  width: 1px;
}
.over {
  border: 2px dashed var(--petrol-ink);
}
.take {
  margin-top: 18px;
}
.counts {
  margin: 12px 0 0;
}
.count:not(:last-child)::after {
  content: " · ";
}
.place {
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
}
.choice {
  margin-top: 6px;
}
.inner {
  margin-top: 8px;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
