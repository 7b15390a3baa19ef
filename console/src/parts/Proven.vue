<script setup lang="ts">
import type { Of } from "../api/client";
import { moment } from "../words";

defineProps<{ proofs: Of<"ProofView">[]; counter?: Of<"CounterView"> }>();
</script>

<template>
  <p v-if="!proofs.length" class="quiet">
    Nothing: nobody has shown that they hold this key. Its holder can: tolvin key prove
  </p>
  <ul v-else class="proofs">
    <li v-for="p in proofs" :key="p.id">
      <b class="accepted">✓ {{ p.kind === "hardware" ? "made inside a security key" : "held" }}</b>
      <span class="quiet"> {{ moment(p.at) }}</span>
      <div v-if="p.kind === 'hardware'">
        Model <span class="mono">{{ p.model }}</span>, attested by {{ p.maker }}
      </div>
      <template v-else>
        <div>
          {{ p.algorithm }}
          <template v-if="p.touched">, touched</template>
          <template v-if="p.verified">, PIN or finger checked</template>
          <template v-if="p.passphrase">, file with a passphrase</template>
          <template v-if="p.origin">, by the browser at {{ p.origin }}</template>
        </div>
        <div v-if="p.note" class="accepted-with-warnings">! {{ p.note }}</div>
      </template>
    </li>
  </ul>
  <p v-if="counter?.wentBackAt" class="refused">
    ✗ The security key counted {{ counter.wentBackTo }} after {{ counter.counter }} ({{
      moment(counter.wentBackAt)
    }}): somebody may have a copy of it. Replace this key.
  </p>
</template>

<style scoped>
.proofs {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  margin-bottom: 8px;
}
</style>
