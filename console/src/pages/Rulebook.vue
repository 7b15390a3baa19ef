<script setup lang="ts">
import { Button, Input, Skeleton } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { api, Problem, type Of, take } from "../api/client";
import { live } from "../api/live";
import Fingerprint from "../parts/Fingerprint.vue";
import TrustAnchors from "../parts/TrustAnchors.vue";
import Trouble from "../parts/Trouble.vue";
import { moment, outcome } from "../words";

const { data, problem, reload } = live(
  async () => {
    const [book, versions] = await Promise.all([
      take(api.GET("/api/v1/rulebook", {})),
      take(api.GET("/api/v1/rulebook/versions", {})),
    ]);
    return { book, versions: versions.items ?? [] };
  },
  (topic) => topic.startsWith("rulebook."),
);

const editing = ref(false);
const text = ref("");
const reason = ref("");
const ticket = ref("");
const base = ref(0);
const preview = ref<Of<"PreviewView">>();
const busy = ref(false);
const refused = ref<Problem>();

function edit(): void {
  text.value = data.value?.book.text ?? "";
  base.value = data.value?.book.version ?? 0;
  preview.value = undefined;
  refused.value = undefined;
  editing.value = true;
}

let typing: ReturnType<typeof setTimeout> | undefined;
watch(text, () => {
  preview.value = undefined;
  clearTimeout(typing);
  if (editing.value && text.value !== data.value?.book.text) {
    typing = setTimeout(() => void look(), 400);
  }
});

async function look(): Promise<void> {
  const asked = text.value;
  try {
    const answer = await take(api.POST("/api/v1/rulebook/preview", { body: { text: asked } }));
    if (asked === text.value) {
      preview.value = answer;
    }
  } catch (e) {
    refused.value = e as Problem;
  }
}

const changed = computed(() => text.value !== data.value?.book.text);

async function save(): Promise<void> {
  busy.value = true;
  refused.value = undefined;
  try {
    await take(
      api.PUT("/api/v1/rulebook", {
        params: { header: { "If-Match": `"${base.value}"` } },
        body: { text: text.value, reason: reason.value, ticket: ticket.value },
      }),
    );
    editing.value = false;
    reason.value = "";
    ticket.value = "";
    await reload();
  } catch (e) {
    refused.value = e as Problem;
  } finally {
    busy.value = false;
  }
}

function period(iso: string | undefined): string {
  const days = /^PT(\d+)H$/.exec(iso ?? "");
  return days && Number(days[1]) % 24 === 0 ? `${Number(days[1]) / 24} days` : (iso ?? "");
}
</script>

<template>
  <div class="row spread head">
    <h1>
      Rulebook
      <span v-if="data" class="quiet version">
        version {{ data.book.version }}, in force since {{ moment(data.book.since) }}
      </span>
    </h1>
    <Button v-if="!editing" type="primary" :disabled="!data" @click="edit()">Change it</Button>
  </div>
  <Trouble :problem="problem ?? refused" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 10 }" />

  <section v-if="editing" class="sheet">
    <div class="editor">
      <div>
        <label for="text">The rulebook as YAML</label>
        <Input.TextArea
          id="text"
          v-model:value="text"
          class="mono"
          :rows="22"
          spellcheck="false"
          wrap="off"
        />
      </div>
      <div>
        <h2>What would change</h2>
        <p v-if="!changed" class="quiet">Nothing yet: the text is the one in force.</p>
        <p v-else-if="!preview" class="quiet">Looking…</p>
        <template v-else-if="preview.flaws?.length">
          <p class="refused">✗ It cannot be taken like this:</p>
          <ul class="flaws">
            <li v-for="flaw in preview.flaws" :key="`${flaw.line} ${flaw.sentence}`">
              <b>Line {{ flaw.line }}:</b> {{ flaw.sentence }}
            </li>
          </ul>
        </template>
        <template v-else>
          <p v-if="!preview.counts?.length">No verdict on a key or placement would change.</p>
          <ul v-else class="flaws">
            <li v-for="c in preview.counts" :key="`${c.before} ${c.after}`">
              <b>{{ c.count }}</b> from {{ c.before?.replaceAll("-", " ") }} to
              <span :class="c.after">{{ outcome(c.after) }}</span>
            </li>
          </ul>
          <div v-if="preview.changes?.length" class="changes" tabindex="0">
            <table class="plain-table">
              <tbody>
                <tr v-for="c in preview.changes" :key="`${c.keyId} ${c.account}`">
                  <td>
                    <RouterLink :to="`/keys/${c.keyId}`">{{ c.identity ?? "nobody" }}</RouterLink>
                    <div class="quiet">{{ c.account ?? "the key itself" }}</div>
                  </td>
                  <td>
                    <span :class="c.after?.outcome">{{ outcome(c.after?.outcome) }}</span>
                    <div v-if="c.after?.notes?.length" class="quiet">
                      rule {{ c.after.notes[0]?.rule }}: {{ c.after.notes[0]?.sentence }}
                    </div>
                  </td>
                </tr>
              </tbody>
            </table>
          </div>
          <label for="reason">Why</label>
          <Input id="reason" v-model:value="reason" />
          <label for="ticket">Ticket, if there is one</label>
          <Input id="ticket" v-model:value="ticket" />
          <div class="row actions">
            <Button type="primary" :loading="busy" :disabled="!reason.trim()" @click="save()">
              Put version {{ base + 1 }} into force
            </Button>
          </div>
        </template>
        <Button class="actions" @click="editing = false">Leave it as it is</Button>
      </div>
    </div>
  </section>

  <template v-if="data && !editing">
    <section class="sheet wide">
      <h2>What keys must be</h2>
      <table class="plain-table">
        <thead>
          <tr>
            <th>Rule</th>
            <th>About</th>
            <th>For</th>
            <th>Demands</th>
            <th>Otherwise</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="rule in data.book.rules" :id="`rule-${rule.number}`" :key="rule.number">
            <td>{{ rule.number }}</td>
            <td class="about">
              <b>{{ rule.name }}</b>
              <div class="quiet">{{ rule.because }}</div>
            </td>
            <td>{{ rule.when?.join(", ") || "every key" }}</td>
            <td>
              <div v-for="demand in rule.demands" :key="demand">{{ demand }}</div>
            </td>
            <td>
              <span :class="rule.otherwise === 'refuse' ? 'refused' : 'accepted-with-warnings'">
                {{ rule.otherwise === "refuse" ? "✗ refuse" : "! warn" }}
              </span>
            </td>
          </tr>
        </tbody>
      </table>
    </section>
    <div class="columns">
      <section class="sheet">
        <h2>How often they change</h2>
        <p v-if="!data.book.cadences?.length" class="quiet">No cadence: nothing is ever due.</p>
        <table v-else class="plain-table">
          <tbody>
            <tr v-for="c in data.book.cadences" :key="c.number">
              <td>{{ c.number }}</td>
              <td>{{ c.name }}</td>
              <td>every {{ period(c.every) }}</td>
              <td class="quiet">
                starts {{ period(c.lead) }} before, watches {{ period(c.watch) }}
              </td>
            </tr>
          </tbody>
        </table>
        <h2 class="second">Exceptions</h2>
        <p v-if="!data.book.exceptions?.length" class="quiet">None.</p>
        <table v-else class="plain-table">
          <tbody>
            <tr v-for="e in data.book.exceptions" :key="`${e.rule} ${e.key} ${e.identity}`">
              <td>{{ e.rule }}</td>
              <td>
                <Fingerprint v-if="e.key" :value="e.key" short />
                <template v-else>{{ e.identity }}</template>
              </td>
              <td>
                {{ e.reason }}
                <div class="quiet">{{ e.owner }}, until {{ moment(e.until) }}</div>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section class="sheet">
        <h2>Versions</h2>
        <table class="plain-table">
          <tbody>
            <tr v-for="v in data.versions" :key="v.version">
              <td>{{ v.version }}</td>
              <td>
                {{ v.reason }} <span class="quiet">{{ v.ticket }}</span>
                <div class="quiet">{{ v.savedBy }}, {{ moment(v.since) }}</div>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>
  </template>
  <TrustAnchors />
</template>

<style scoped>
.version {
  font-size: 13px;
  font-weight: 400;
  margin-left: 8px;
}
.editor {
  display: grid;
  grid-template-columns: minmax(0, 1.4fr) minmax(0, 1fr);
  gap: 20px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  gap: 16px;
}
label {
  display: block;
  margin: 10px 0 4px;
}
.flaws {
  padding-left: 18px;
}
.changes {
  max-height: 210px;
  overflow-y: auto;
}
.actions {
  margin-top: 12px;
}
.about {
  width: 42%;
  min-width: 240px;
}
.second {
  margin-top: 18px;
}
@media (max-width: 900px) {
  .columns,
  .editor {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
