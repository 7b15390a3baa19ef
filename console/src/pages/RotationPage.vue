<script setup lang="ts">
import { Button, Input, Modal, Skeleton } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { api, type Of, take } from "../api/client";
import { live } from "../api/live";
import { useAttempt } from "../attempt";
import Fingerprint from "../parts/Fingerprint.vue";
import ChangeLines from "../parts/ChangeLines.vue";
import OverlapChart from "../parts/OverlapChart.vue";
import StageTrack from "../parts/StageTrack.vue";
import Trouble from "../parts/Trouble.vue";
import { moment } from "../words";

const props = defineProps<{ id: string }>();
const path = () => ({ params: { path: { id: props.id } } });

const { data, problem, reload } = live(
  async () => {
    const [detail, plan] = await Promise.all([
      take(api.GET("/api/v1/rotations/{id}", path())),
      take(api.GET("/api/v1/rotations/{id}/plan", path())),
    ]);
    return { detail, plan };
  },
  (topic) => /^(rotation|effect|placement|seat)\./.test(topic),
);
watch(() => props.id, reload);

const rotation = computed(() => data.value?.detail.rotation);
const over = computed(() => rotation.value?.outcome !== undefined);
const attempts = computed(() => [...(data.value?.detail.attempts ?? [])].reverse());

const changes = ref<Of<"SystemChangeView">[]>();
const { busy, refused, attempt } = useAttempt();

async function rehearse(): Promise<void> {
  await attempt(async () => {
    changes.value = await take(api.GET("/api/v1/rotations/{id}/changes", path()));
  });
}

type Action = "run" | "roll-back" | "stop" | "accept";
const QUESTIONS: Record<Action, string> = {
  run: "Run this rotation?",
  "roll-back": "Roll back to the old key everywhere?",
  stop: "Stop this rotation where it is?",
  accept: "Answer with yes?",
};
const asked = ref<Action>();
const reason = ref("");

async function act(): Promise<void> {
  const action = asked.value;
  const why = { reason: reason.value || "asked for in the console" };
  const question = rotation.value?.question;
  asked.value = undefined;
  await attempt(async () => {
    if (action === "run") {
      await take(api.POST("/api/v1/rotations/{id}/run", path()));
    } else if (action === "roll-back") {
      await take(api.POST("/api/v1/rotations/{id}/roll-back", { ...path(), body: why }));
    } else if (action === "stop") {
      await take(api.POST("/api/v1/rotations/{id}/stop", { ...path(), body: why }));
    } else if (question) {
      await take(
        api.POST("/api/v1/rotations/{id}/accept", {
          ...path(),
          body: { ...why, question },
        }),
      );
    }
    await reload();
  });
}
</script>

<template>
  <Trouble :problem="problem ?? refused" />
  <Skeleton v-if="!data && !problem" active :paragraph="{ rows: 12 }" />
  <template v-if="data && rotation">
    <div class="row spread head">
      <h1>
        {{ rotation.identity }} <span class="quiet">rotation</span>
        <span v-if="rotation.outcome" class="quiet"> · {{ rotation.outcome }}</span>
      </h1>
      <div v-if="!over" class="row">
        <template v-if="rotation.direction === 'planned' || rotation.direction === 'stopped'">
          <Button :loading="busy" @click="rehearse()">Show the exact changes</Button>
          <Button type="primary" :disabled="!rotation.newKey" @click="asked = 'run'">Run it</Button>
        </template>
        <Button v-if="rotation.direction === 'running'" @click="asked = 'stop'">Stop here</Button>
        <Button v-if="rotation.direction !== 'rolling-back'" danger @click="asked = 'roll-back'"
          >Roll back</Button
        >
      </div>
    </div>
    <section class="sheet">
      <StageTrack
        :stage="rotation.stage"
        :direction="rotation.direction"
        :outcome="rotation.outcome"
        :waiting="rotation.needsPerson"
      />
      <p v-if="rotation.turnedBecause">
        {{ rotation.direction === "rolling-back" ? "Rolled back" : "Stopped" }}:
        {{ rotation.turnedBecause }}
      </p>
      <p
        v-if="rotation.waitingFor"
        :class="rotation.needsPerson ? 'person' : 'quiet'"
        role="status"
      >
        {{ rotation.needsPerson ? "! " : "… " }}{{ rotation.waitingFor }}
        <Button v-if="rotation.question" size="small" @click="asked = 'accept'">Answer yes</Button>
      </p>
    </section>
    <section v-if="data.detail.ties?.length" class="sheet">
      <h2>Overlap</h2>
      <OverlapChart :detail="data.detail" />
    </section>
    <section
      v-if="changes && (rotation.direction === 'planned' || rotation.direction === 'stopped')"
      class="sheet"
    >
      <h2>The exact changes; nothing was touched yet</h2>
      <div v-for="(change, i) in changes" :key="i" class="change">
        <div>
          <strong>{{ change.step }}</strong> {{ change.system }}
        </div>
        <ChangeLines :change="change" />
      </div>
    </section>
    <div class="columns">
      <section class="sheet">
        <h2>What was done</h2>
        <p v-if="!attempts.length" class="quiet">Nothing yet.</p>
        <ol v-else class="steps" reversed>
          <li v-for="a in attempts" :key="`${a.startedAt}${a.effect}`">
            <span :class="a.outcome === 'done' ? 'good' : 'bad'">
              {{ a.outcome === "done" ? "✓" : a.outcome === "running" ? "…" : "✗" }}
            </span>
            {{ a.sentence }}
            <span class="quiet">{{ moment(a.startedAt).split(" ").pop() }}</span>
            <div v-if="a.reason" class="bad">{{ a.reason }}</div>
          </li>
        </ol>
      </section>
      <div>
        <section v-if="!over" class="sheet">
          <h2>What comes next</h2>
          <p v-if="data.plan.obstacle" class="person">! {{ data.plan.obstacle }}</p>
          <ol class="steps">
            <li v-for="(step, i) in data.plan.steps" :key="i">
              {{ step.sentence }}
              <div v-for="guard in step.guards" :key="guard" class="quiet guard">
                only if {{ guard }}
              </div>
            </li>
          </ol>
        </section>
        <section class="sheet">
          <h2>About it</h2>
          <dl class="facts">
            <dt>Old key</dt>
            <dd>
              <RouterLink :to="`/keys/${rotation.oldKeyId}`"
                ><Fingerprint :value="rotation.oldKey" short
              /></RouterLink>
            </dd>
            <dt>New key</dt>
            <dd>
              <RouterLink v-if="rotation.newKeyId" :to="`/keys/${rotation.newKeyId}`"
                ><Fingerprint :value="rotation.newKey" short
              /></RouterLink>
            </dd>
            <dt>Why</dt>
            <dd>{{ rotation.byItself ? "by itself: " : "" }}{{ rotation.reason }}</dd>
            <dt>Planned</dt>
            <dd>{{ moment(rotation.plannedAt) }}</dd>
            <template v-if="rotation.endedAt">
              <dt>Ended</dt>
              <dd>{{ moment(rotation.endedAt) }}</dd>
            </template>
          </dl>
        </section>
        <section v-if="!over && data.detail.guards?.length" class="sheet">
          <h2>Guards before the withdrawal</h2>
          <ul class="steps guards">
            <li v-for="g in data.detail.guards" :key="`${g.account}${g.guard}`">
              <span :class="g.answer === 'allowed' ? 'good' : 'quiet'">
                {{ g.answer === "allowed" ? "✓" : "○" }}
              </span>
              {{ g.reason }}
            </li>
          </ul>
        </section>
      </div>
    </div>
  </template>
  <Modal
    :open="asked !== undefined"
    :title="asked ? QUESTIONS[asked] : ''"
    ok-text="Yes"
    cancel-text="No"
    @ok="act()"
    @cancel="asked = undefined"
  >
    <template v-if="asked !== 'run'">
      <label for="reason">Why, for the journal</label>
      <Input id="reason" v-model:value="reason" />
    </template>
    <p v-else>
      {{ data?.plan.steps?.length }} steps, each with its guards; until the old key is gone one
      click puts everything back.
    </p>
  </Modal>
</template>

<style scoped>
.sheet > p[role="status"] {
  margin: 14px 0 0;
}
.person {
  color: var(--amber-ink);
  font-weight: 600;
}
.good {
  color: var(--green);
}
.bad {
  color: var(--red);
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 16px;
}
.steps {
  margin: 0;
  padding-left: 22px;
}
.steps li {
  padding: 3px 0;
  overflow-wrap: anywhere;
}
.guards {
  list-style: none;
  padding: 0;
}
.guard {
  font-size: 12.5px;
}
.change {
  padding: 8px 0;
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
