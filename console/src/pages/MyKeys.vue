<script setup lang="ts">
import { Alert, Button, Skeleton } from "ant-design-vue";
import { computed, onMounted, ref } from "vue";
import { api, type Of, type Problem, take } from "../api/client";
import { useAttempt } from "../attempt";
import Copied from "../parts/Copied.vue";
import Fingerprint from "../parts/Fingerprint.vue";
import Proven from "../parts/Proven.vue";
import Trouble from "../parts/Trouble.vue";
import { type Brought, type Kept, sorted, steps } from "../prove";
import { useSession } from "../session";
import { moment } from "../words";

const session = useSession();
const own = ref<Of<"OwnView">>();
const { busy, refused: problem, attempt } = useAttempt();

async function load(): Promise<void> {
  own.value = await take(api.GET("/api/v1/mine"));
}
onMounted(() =>
  load().catch((e: unknown) => {
    problem.value = e as Problem;
  }),
);

/** Adding a key: a challenge, the commands for it, the files that come of them. */
const kept = ref<Kept>("new-device");
const file = ref("~/.ssh/id_tolvin");
const challenge = ref<Of<"ChallengeView">>();
const brought = ref<Brought>();
const pasted = ref("");
const proven = ref<Of<"ProvenView">>();
const commands = computed(() =>
  challenge.value
    ? steps(kept.value, challenge.value.text ?? "", challenge.value.namespace ?? "", file.value)
    : [],
);

const begin = () =>
  attempt(async () => {
    challenge.value = await take(api.POST("/api/v1/challenges", { body: {} }));
    brought.value = undefined;
    proven.value = undefined;
  });

async function take_(files: FileList | null | undefined): Promise<void> {
  brought.value = await sorted(files ?? []);
}

const prove = () =>
  attempt(async () => {
    proven.value = await take(
      api.POST("/api/v1/challenges/{id}/answer", {
        params: { path: { id: challenge.value?.id ?? "" } },
        body: {
          signature: brought.value?.signature ?? pasted.value,
          key: brought.value?.key,
          attestation: brought.value?.attestation,
          custody: kept.value === "file" ? "machine" : undefined,
          passphrase: false,
        },
      }),
    );
    challenge.value = undefined;
    await load();
  });

const place = (keyId: string, accountId: string) =>
  attempt(async () => {
    await take(api.POST("/api/v1/mine/placements", { body: { keyId, accountId } }));
    await load();
    for (let i = 0; i < 30 && waiting.value; i++) {
      await new Promise((done) => setTimeout(done, 500));
      await load();
    }
  });
const waiting = computed(() =>
  own.value?.keys?.some((k) => k.placements?.some((p) => p.state === "wanted")),
);
const placeable = (key: Of<"OwnKeyView">) =>
  key.proven?.length
    ? (own.value?.accounts ?? []).filter((a) => !key.placements?.some((p) => p.accountId === a.id))
    : [];

/** Downloading a private key: once, encrypted. */
const wanted = ref<string>();
const passphrase = ref("");
const again = ref("");
const form = ref<Of<"PrivateForm">>("openssh");
const forms = ref<Of<"PrivateFormView">[]>([]);
const chosen = computed(() => forms.value.find((one) => one.form === form.value));
const ask = (key: string) =>
  attempt(async () => {
    const params = { path: { id: key } };
    forms.value = await take(api.GET("/api/v1/made-keys/{id}/forms", { params }));
    form.value = "openssh";
    wanted.value = key;
  });
const download = () =>
  attempt(async () => {
    const data = await take(
      api.POST("/api/v1/made-keys/{id}/download", {
        params: { path: { id: wanted.value ?? "" } },
        body: { passphrase: passphrase.value, form: form.value },
        parseAs: "blob",
      }),
    );
    const link = document.createElement("a");
    link.href = URL.createObjectURL(data as unknown as Blob);
    link.download = form.value === "openssh" ? "id_tolvin" : "id_tolvin.pem";
    link.click();
    URL.revokeObjectURL(link.href);
    wanted.value = undefined;
    passphrase.value = again.value = "";
    await load();
  });
</script>

<template>
  <div class="row spread head">
    <h1>My keys</h1>
    <Button v-if="!challenge" type="primary" :loading="busy" @click="begin()">Add a key</Button>
  </div>
  <Alert
    v-if="session.who?.olderSecretsFrom"
    type="warning"
    show-icon
    :message="`Your password was chosen ${moment(session.who.openedAt)}, with a link that ${session.who.openedBy} made.`"
    :description="`Private keys from before can be taken from ${moment(session.who.olderSecretsFrom)} on. If it was not you who used the link, tell your security team now.`"
    style="margin-bottom: 16px"
  />
  <Trouble :problem="problem" />
  <Skeleton v-if="!own && !problem" active :paragraph="{ rows: 6 }" />

  <section v-if="challenge" class="sheet" aria-labelledby="add">
    <h2 id="add">Add a key, with proof that it is yours</h2>
    <div class="choose">
      <label for="kept">The key is</label>
      <select id="kept" v-model="kept" class="plain-input">
        <option value="new-device">made now, on my security key</option>
        <option value="device">on my security key already</option>
        <option value="file">in a file on this machine</option>
      </select>
      <label for="file">file</label>
      <input id="file" v-model="file" class="plain-input mono" />
    </div>
    <ol>
      <li v-for="step in commands" :key="step.run">
        {{ step.say }}
        <Copied :text="step.run" :label="step.say" />
      </li>
      <li>
        Bring what came of it:
        <span class="mono">
          tolvin-challenge.sig, {{ file }}.pub<template v-if="kept === 'new-device'"
            >, tolvin-attestation</template
          >
        </span>
        <div
          class="drop"
          @dragover.prevent
          @drop.prevent="(e: DragEvent) => take_(e.dataTransfer?.files)"
        >
          <label for="files">Drop the files here, or choose them</label>
          <input
            id="files"
            type="file"
            multiple
            @change="(e) => take_((e.target as HTMLInputElement).files)"
          />
          <ul v-if="brought" role="status">
            <li :class="brought.signature ? 'accepted' : 'refused'">
              {{ brought.signature ? "✓" : "✗" }} the signature
            </li>
            <li :class="brought.key ? 'accepted' : 'quiet'">
              {{ brought.key ? "✓" : "–" }} the public key, for its comment
            </li>
            <li v-if="kept !== 'file'" :class="brought.attestation ? 'accepted' : 'quiet'">
              {{ brought.attestation ? "✓" : "–" }} the attestation, which shows the device
            </li>
            <li v-for="name in brought.unknown" :key="name" class="refused">
              ✗ {{ name }} is none of these, and stays here
            </li>
          </ul>
        </div>
        <label for="pasted" class="quiet">or paste the signature</label>
        <textarea id="pasted" v-model="pasted" class="plain-input mono wide" rows="3" />
      </li>
    </ol>
    <div class="row">
      <Button
        type="primary"
        :loading="busy"
        :disabled="!brought?.signature && !pasted"
        @click="prove()"
      >
        Prove and register
      </Button>
      <Button @click="challenge = undefined">Not now</Button>
      <span class="quiet">
        Good until {{ moment(challenge.expiresAt) }}.
        <template v-if="challenge.passphraseRule">
          {{ challenge.passphraseRule }} wants a passphrase on files: make the key with the client,
          tolvin key make.
        </template>
      </span>
    </div>
  </section>

  <section v-if="proven" class="sheet" role="status">
    <h2>Proven and registered</h2>
    <p><Fingerprint :value="proven.fingerprint" /></p>
    <Proven :proofs="proven.proofs ?? []" />
  </section>

  <template v-if="own">
    <section v-if="!own.keys?.length" class="sheet">
      <h2>You have no keys yet</h2>
      <p>Press “Add a key”. It takes two minutes, with or without a security key.</p>
    </section>
    <section v-for="key in own.keys" :key="key.id" class="sheet">
      <div class="row spread">
        <h2>
          {{ key.identity === own.identity ? key.comment || "my key" : key.identity }}
          <span class="quiet">{{ key.type }}</span>
        </h2>
        <Button v-if="key.downloadable" @click="ask(key.id)">Take the private key</Button>
      </div>
      <dl class="facts">
        <dt>Fingerprint</dt>
        <dd><Fingerprint :value="key.fingerprint" /></dd>
        <dt>Custody</dt>
        <dd>
          {{ key.custody }}
          <span v-if="key.downloadedAt" class="quiet">
            (private key taken {{ moment(key.downloadedAt) }})
          </span>
        </dd>
        <dt>Proven</dt>
        <dd>
          <span v-if="key.proven?.length" class="accepted">✓ {{ key.proven.join(", ") }}</span>
          <span v-else class="quiet">not yet</span>
          <span v-if="key.verified" class="accepted">, with PIN</span>
          <span v-if="key.copied" class="refused">
            ✗ its counter went back: somebody may have a copy
          </span>
        </dd>
        <dt>Signed in</dt>
        <dd>
          {{
            key.testedAt ? moment(key.testedAt) : "not tried; run: tolvin trial run ACCOUNT --here"
          }}
        </dd>
        <dt>Stands on</dt>
        <dd>
          <div v-for="p in key.placements" :key="p.id">
            {{ p.account }}: {{ p.state }} <span class="refused">{{ p.reason }}</span>
          </div>
          <Button
            v-for="a in placeable(key)"
            :key="a.id"
            size="small"
            :loading="busy"
            @click="place(key.id, a.id)"
          >
            Place on {{ a.account }}
          </Button>
          <span v-if="!key.placements?.length && !placeable(key).length" class="quiet">
            no account
          </span>
        </dd>
      </dl>
      <form v-if="wanted === key.id" class="take" @submit.prevent="download()">
        <p>
          It leaves the coffer this once, encrypted with a passphrase that you choose now. Nobody
          can tell you the passphrase again.
        </p>
        <label :for="`one-${key.id}`">Passphrase, 12 characters or more</label>
        <input
          :id="`one-${key.id}`"
          v-model="passphrase"
          type="password"
          autocomplete="new-password"
          class="plain-input"
        />
        <label :for="`two-${key.id}`">Once more</label>
        <input
          :id="`two-${key.id}`"
          v-model="again"
          type="password"
          autocomplete="new-password"
          class="plain-input"
        />
        <label :for="`form-${key.id}`">Form</label>
        <select :id="`form-${key.id}`" v-model="form" class="plain-input">
          <option v-for="one in forms" :key="one.form" :value="one.form">{{ one.title }}</option>
        </select>
        <p v-if="chosen" class="quiet">
          Read by {{ chosen.readBy.join("; ") }}.
          <span v-for="other in chosen.converted" :key="other" class="converted">
            For {{ other }}
          </span>
        </p>
        <Button
          type="primary"
          html-type="submit"
          :loading="busy"
          :disabled="passphrase.length < 12 || passphrase !== again"
        >
          Take it
        </Button>
      </form>
    </section>
  </template>
</template>

<style scoped>
.converted {
  display: block;
  overflow-wrap: anywhere;
}
.choose {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto minmax(0, 1fr);
  gap: 8px 12px;
  align-items: center;
  margin-bottom: 10px;
}
@media (max-width: 600px) {
  .choose {
    grid-template-columns: auto minmax(0, 1fr);
  }
}
ol {
  padding-left: 20px;
}
.drop {
  margin: 8px 0;
  padding: 12px;
  border: 1px dashed var(--line);
  border-radius: 4px;
}
.drop label {
  margin-right: 10px;
}
.drop ul {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}
.take {
  display: grid;
  gap: 6px;
  max-width: 420px;
  margin-top: 12px;
}
</style>
