<script setup lang="ts">
import { Button } from "ant-design-vue";
import { ref } from "vue";
import { api, type Of, take } from "../api/client";
import { useAttempt } from "../attempt";
import Copied from "./Copied.vue";
import Trouble from "./Trouble.vue";
import { moment } from "../words";

const props = defineProps<{ trial: Of<"TrialView"> }>();

/** The text for the other side's administrator. */
const text = ref<string>();
const { busy, refused, attempt } = useAttempt();
const write = () =>
  attempt(async () => {
    text.value = await take(
      api.GET("/api/v1/trials/{id}/support-text", {
        params: { path: { id: props.trial.id } },
        parseAs: "text",
      }),
    );
  });
</script>

<template>
  <div class="trial">
    <p class="said">
      <b :class="trial.accepted ? 'accepted' : 'refused'">
        {{ trial.accepted ? "✓ signed in" : "✗ refused" }}
      </b>
      {{ trial.account }}
      <span class="quiet">
        {{ moment(trial.madeAt) }}, by {{ trial.madeBy === "holder" ? "its holder" : "Tolvin" }}
      </span>
      <span v-if="trial.signed" class="accepted">· signed: a seat proof</span>
    </p>
    <p v-if="!trial.accepted && trial.answer" class="quiet mono">{{ trial.answer }}</p>
    <ol v-if="trial.causes?.length">
      <li v-for="cause in trial.causes" :key="cause.kind">
        <b>{{ cause.sentence }}</b> <span class="sure">{{ cause.certainty }}</span>
        <ul>
          <li v-for="e in cause.evidence" :key="e" class="quiet evidence">{{ e }}</li>
        </ul>
        <div class="out">→ {{ cause.remedy }}</div>
      </li>
    </ol>
    <ul v-if="trial.unknowns?.length" class="unknowns">
      <li v-for="u in trial.unknowns" :key="u" class="quiet">? {{ u }}</li>
    </ul>
    <Button v-if="!trial.accepted && !text" size="small" :loading="busy" @click="write()">
      Text to send to support
    </Button>
    <Trouble :problem="refused" />
    <Copied v-if="text" :text="text" label="text to send to support" />
  </div>
</template>

<style scoped>
.trial {
  margin-bottom: 18px;
}
.said {
  margin: 0 0 4px;
}
ol {
  margin: 4px 0 8px;
  padding-left: 22px;
}
ol > li {
  margin-bottom: 8px;
}
ul {
  margin: 2px 0;
  padding-left: 16px;
}
.evidence {
  overflow-wrap: anywhere;
}
.sure {
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0 5px;
  font-size: 11.5px;
}
.unknowns {
  list-style: none;
  padding: 0;
}
</style>
