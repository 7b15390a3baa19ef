<script setup lang="ts">
import { Button, Input, Skeleton } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import Copied from "../parts/Copied.vue";
import Fingerprint from "../parts/Fingerprint.vue";
import Proven from "../parts/Proven.vue";
import RotationState from "../parts/RotationState.vue";
import TrialResult from "../parts/TrialResult.vue";
import Trouble from "../parts/Trouble.vue";
import Verdict from "../parts/Verdict.vue";
import { compared, distance, moment } from "../words";

const props = defineProps<{ id: string }>();
const router = useRouter();
const path = () => ({ params: { path: { id: props.id } } });

const { data, problem, reload } = live(
  async () => {
    const [key, placements, uses, dependences, rotations, verdicts, given, proofs, trials] =
      await Promise.all([
        take(api.GET("/api/v1/keys/{id}", path())),
        take(api.GET("/api/v1/placements", { params: { query: { key: props.id } } })),
        take(api.GET("/api/v1/keys/{id}/uses", path())),
        take(api.GET("/api/v1/keys/{id}/dependences", path())),
        take(api.GET("/api/v1/rotations", { params: { query: { key: props.id } } })),
        take(api.GET("/api/v1/keys/{id}/verdicts", path())),
        take(api.GET("/api/v1/keys/{id}/forms", path())),
        take(api.GET("/api/v1/keys/{id}/proofs", path())),
        take(api.GET("/api/v1/trials", { params: { query: { key: props.id } } })),
      ]);
    return {
      key,
      placements,
      uses,
      dependences,
      rotations,
      verdicts,
      given,
      proofs,
      trials,
      at: Date.now(),
    };
  },
  (topic) => /^(key|placement|rotation|seat|rulebook|compromised-list|trial)\./.test(topic),
);
watch(() => props.id, reload);

const running = computed(() => data.value?.rotations.items?.find((r) => !r.outcome));
const live_ = computed(() =>
  (data.value?.placements.items ?? []).filter((p) => p.state !== "withdrawn"),
);
const pasted = ref("");
const comparison = computed(() =>
  compared(data.value?.key.fingerprint ?? "", data.value?.key.md5 ?? "", pasted.value),
);

/** What is given out: a form by its name, or an account by its. */
const wanted = ref("one-line");
const choices = computed(() => [
  ...(data.value?.given.forms ?? []).map((f) => ({ value: f.form ?? "", label: f.label })),
  ...(data.value?.given.places ?? []).map((p) => ({
    value: p.account ?? "",
    label: `for ${p.account}`,
  })),
]);
const form = computed(() => data.value?.given.forms?.find((f) => f.form === wanted.value));
const place = computed(() => data.value?.given.places?.find((p) => p.account === wanted.value));

const { busy, refused, attempt } = useAttempt();
const trying = ref<string>();
const tryOut = (account: string | undefined) =>
  attempt(async () => {
    trying.value = account;
    await take(
      api.POST("/api/v1/accounts/{id}/trials", {
        params: { path: { id: account ?? "" } },
        body: { keyId: props.id },
      }),
    );
    await reload();
  });
const rotate = () =>
  attempt(async () => {
    trying.value = undefined;
    const detail = await take(
      api.POST("/api/v1/rotations", {
        body: { keyId: props.id, reason: "asked for in the console" },
      }),
    );
    await router.push(`/rotations/${detail.rotation?.id}`);
  });
</script>

<template>
  <Trouble :problem="problem ?? refused" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 10 }" />
  <template v-if="data">
    <div class="row spread head">
      <h1>{{ data.key.identity ?? "Nobody's" }} <span class="quiet">key</span></h1>
      <RouterLink v-if="running" :to="`/rotations/${running.id}`">
        <Button>In rotation: {{ running.stage }}</Button>
      </RouterLink>
      <Button
        v-else-if="!data.key.endedAt"
        type="primary"
        :loading="busy && !trying"
        :disabled="!live_.length"
        @click="rotate()"
      >
        Rotate this key
      </Button>
    </div>
    <div class="columns">
      <section class="sheet">
        <h2>What it is</h2>
        <dl class="facts">
          <dt>Fingerprint</dt>
          <dd><Fingerprint :value="data.key.fingerprint" /></dd>
          <dt>MD5</dt>
          <dd class="mono">{{ data.key.md5 }}</dd>
          <dt>Type</dt>
          <dd>{{ data.key.type }}, {{ data.key.bits }} bits</dd>
          <template v-if="data.key.application">
            <dt>Application</dt>
            <dd>{{ data.key.application }}</dd>
          </template>
          <dt>Belongs to</dt>
          <dd v-if="data.key.identity">{{ data.key.identity }} ({{ data.key.team }})</dd>
          <dd v-else>nobody yet</dd>
          <dt>Custody</dt>
          <dd>{{ data.key.custody }}</dd>
          <dt>Made</dt>
          <dd>{{ moment(data.key.madeAt) }}</dd>
          <dt>Due</dt>
          <dd>{{ data.key.due?.reason ?? "no rule says when" }}</dd>
          <template v-if="data.key.endedAt">
            <dt>Out of use</dt>
            <dd>{{ moment(data.key.endedAt) }}: {{ data.key.endedBecause }}</dd>
          </template>
          <dt><label for="compare">Compare</label></dt>
          <dd>
            <Input
              id="compare"
              v-model:value="pasted"
              class="mono"
              placeholder="Paste a fingerprint in any notation"
            />
            <span v-if="pasted" role="status" :class="comparison.same ? 'same' : 'differs'">
              {{
                comparison.same
                  ? "✓ the same key"
                  : comparison.known
                    ? `✗ differs from character ${comparison.at + 1} on`
                    : "✗ this is no fingerprint"
              }}
            </span>
          </dd>
        </dl>
      </section>
      <section class="sheet">
        <h2>What breaks without it</h2>
        <p v-if="!data.dependences.length" class="quiet">Nothing that is known.</p>
        <ul v-else class="breaks">
          <li v-for="d in data.dependences" :key="`${d.tie} ${d.account} ${d.address}`">
            <span v-if="d.breaks" class="differs">✗ breaks:</span>
            <span v-else class="same">✓ goes on with another key:</span>
            <template v-if="d.tie">{{ d.tie }}</template>
            <template v-else>
              a client that is not on record, from <span class="mono">{{ d.address }}</span> on
              {{ d.account }}, used {{ distance(d.usedAt, data.at) }}
            </template>
          </li>
        </ul>
        <h2 class="second">Seen in use</h2>
        <p v-if="!data.uses.length" class="quiet">Never.</p>
        <table v-else class="plain-table">
          <thead>
            <tr>
              <th>Account</th>
              <th>From</th>
              <th>Times</th>
              <th>Last</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="u in data.uses" :key="`${u.account} ${u.address}`">
              <td>{{ u.account }}</td>
              <td class="mono">{{ u.address }}</td>
              <td>{{ u.count }}</td>
              <td :title="moment(u.lastAt)">{{ distance(u.lastAt, data.at) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>
    <section class="sheet">
      <div class="row spread">
        <h2>Where it stands</h2>
        <RouterLink v-if="!data.key.endedAt" :to="`/registrations/new?key=${props.id}`">
          Place on accounts
        </RouterLink>
      </div>
      <p v-if="!data.placements.items?.length" class="quiet">On no account.</p>
      <table v-else class="plain-table">
        <thead>
          <tr>
            <th>Account</th>
            <th>State</th>
            <th>Title</th>
            <th>Placed</th>
            <th>Withdrawn</th>
            <th><span class="quiet">Trial</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in data.placements.items" :key="p.id">
            <td>{{ p.account }}</td>
            <td>
              {{ p.state }}
              <div v-if="p.reason" class="differs">{{ p.reason }}</div>
            </td>
            <td>{{ p.title }}</td>
            <td>{{ moment(p.placedAt) }}</td>
            <td>{{ moment(p.withdrawnAt) }}</td>
            <td>
              <Button
                v-if="data.key.custody === 'coffer' && p.state !== 'withdrawn'"
                size="small"
                :loading="busy && trying === p.accountId"
                :aria-label="`Try to sign in to ${p.account}`"
                @click="tryOut(p.accountId)"
              >
                Try it
              </Button>
            </td>
          </tr>
        </tbody>
      </table>
    </section>
    <div class="columns">
      <section class="sheet">
        <h2>What was proven</h2>
        <Proven :proofs="data.proofs.proofs ?? []" :counter="data.proofs.counter" />
      </section>
      <section class="sheet">
        <h2>Trials</h2>
        <p v-if="!data.trials.items?.length" class="quiet">
          None. From the machine that holds the key:
          <span class="mono nowrap">tolvin trial run ACCOUNT --here</span>
        </p>
        <TrialResult v-for="t in data.trials.items?.slice(0, 5)" :key="t.id" :trial="t" />
      </section>
    </div>
    <div class="columns">
      <section class="sheet">
        <h2>What the rulebook says</h2>
        <div v-for="j in data.verdicts" :key="j.account ?? ''" class="judged">
          <b>{{ j.account ? `on ${j.account}` : "the key by itself" }}</b>
          <Verdict :verdict="j.verdict" />
        </div>
      </section>
      <section class="sheet">
        <h2><label for="form">Give it out</label></h2>
        <select id="form" v-model="wanted" class="plain-input">
          <option v-for="c in choices" :key="c.value" :value="c.value">{{ c.label }}</option>
        </select>
        <template v-if="form">
          <Copied v-if="form.text" :text="form.text" :label="form.label ?? ''" />
          <p v-else class="quiet note">{{ form.refusal }}</p>
        </template>
        <template v-if="place">
          <p class="note">As {{ place.account }} takes it:</p>
          <Copied :text="place.text ?? ''" label="the key" />
          <template v-if="place.clientBlock">
            <p class="note">For the client's known_hosts:</p>
            <Copied :text="place.knownHosts ?? ''" label="the host keys" />
            <p class="note">For the client's configuration:</p>
            <Copied :text="place.clientBlock ?? ''" label="the client's configuration" />
          </template>
          <details v-for="system in place.systems" :key="system.system">
            <summary>
              {{ system.system }}: <span class="mono">{{ system.file }}</span>
            </summary>
            <ul>
              <li v-for="m in system.mind" :key="m">{{ m }}</li>
            </ul>
          </details>
        </template>
      </section>
    </div>
    <section v-if="data.rotations.items?.length" class="sheet">
      <h2>Rotations</h2>
      <table class="plain-table">
        <tbody>
          <tr v-for="r in data.rotations.items" :key="r.id">
            <td>
              <RouterLink :to="`/rotations/${r.id}`">{{ moment(r.plannedAt) }}</RouterLink>
            </td>
            <td><RotationState :rotation="r" /></td>
            <td class="quiet">{{ r.newKeyId === id ? "to this key" : "away from this key" }}</td>
          </tr>
        </tbody>
      </table>
    </section>
  </template>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
  gap: 16px;
}
.breaks {
  padding: 0;
  list-style: none;
}
.second {
  margin-top: 18px;
}
.judged {
  margin-bottom: 10px;
}
.note {
  margin: 10px 0 0;
}
.same {
  color: var(--green);
}
.differs {
  color: var(--red);
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
