package tolvin.core.proof;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.function.Supplier;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/** Judges a signature that was given for a challenge. */
public final class PossessionProof {
  private PossessionProof() {}

  /**
   * A challenge that was issued.
   *
   * @param challenge its words
   * @param text its text, as it was given out
   * @param usedAt when a signature over it was accepted
   */
  public record Issued(Challenge challenge, String text, Optional<Instant> usedAt) {}

  /**
   * Judges a signature.
   *
   * @param asked the challenge that it was given for
   * @param others other challenges that were issued lately, by which a wrong signature is
   *     explained; not asked for a right one
   * @param key the key that it must be of; empty for whichever signed
   * @param signatureText as ssh-keygen writes it
   * @return what was signed with, by whom
   * @throws RefusedException with a reason of its own for everything that can be wrong
   */
  public static Proven check(
      Issued asked,
      Supplier<List<Issued>> others,
      Optional<PublicKey> key,
      String signatureText,
      Instant now)
      throws RefusedException {
    SshSignature signature = SshSignature.read(signatureText);
    String namespace = asked.challenge().purpose().namespace();
    if (key.isPresent() && !key.get().equals(signature.key())) {
      throw new RefusedException(
          Reason.OTHER_KEY,
          "The signature is of the key "
              + signature.key().fingerprintText()
              + ", not of "
              + key.get().fingerprintText()
              + ".",
          "Sign with the private key of the key that is to be proven.",
          -1);
    }
    SignatureCheck.Checked checked;
    try {
      checked = signature.check(namespace, bytes(asked));
    } catch (RefusedException e) {
      if (e.refusal().reason() == Reason.BAD_SIGNATURE) {
        for (Issued other : others.get()) {
          explain(signature, namespace, asked, other, now);
        }
      }
      throw e;
    }
    if (asked.usedAt().isPresent()) {
      throw usedBefore(asked);
    }
    if (!now.isBefore(asked.challenge().expires())) {
      throw expired(asked);
    }
    if (checked.device().isPresent() && !checked.device().get().touched()) {
      throw new RefusedException(
          Reason.NOT_TOUCHED,
          "The security key signed without being touched, so nobody was there.",
          "Sign again and touch the key when it blinks; make the key without no-touch-required.",
          -1);
    }
    return new Proven(signature.key(), checked);
  }

  /** A signature that proves. */
  public record Proven(PublicKey key, SignatureCheck.Checked checked) {}

  /** If the signature is over another challenge, says which. */
  private static void explain(
      SshSignature signature, String namespace, Issued asked, Issued other, Instant now)
      throws RefusedException {
    try {
      signature.check(namespace, bytes(other));
    } catch (RefusedException notThisOne) {
      return;
    }
    if (!other.challenge().identity().equals(asked.challenge().identity())) {
      throw new RefusedException(
          Reason.OTHER_IDENTITY,
          "The signature answers a challenge for "
              + other.challenge().identity()
              + ", not for "
              + asked.challenge().identity()
              + ".",
          "Sign the challenge that was given for " + asked.challenge().identity() + ".",
          -1);
    }
    if (other.usedAt().isPresent()) {
      throw usedBefore(other);
    }
    if (!now.isBefore(other.challenge().expires())) {
      throw expired(other);
    }
    throw new RefusedException(
        Reason.OTHER_CHALLENGE,
        "The signature answers another challenge, given for the same identity.",
        "Give it for that challenge, or sign this one.",
        -1);
  }

  private static RefusedException usedBefore(Issued issued) {
    return new RefusedException(
        Reason.USED_BEFORE,
        "This challenge was answered already, at " + issued.usedAt().orElseThrow() + ".",
        "Ask for a new challenge and sign that; each can be used for one proof.",
        -1);
  }

  private static RefusedException expired(Issued issued) {
    return new RefusedException(
        Reason.EXPIRED,
        "The challenge was good until " + issued.challenge().expires() + ".",
        "Ask for a new challenge and sign that.",
        -1);
  }

  private static byte[] bytes(Issued issued) {
    return issued.text().getBytes(StandardCharsets.UTF_8);
  }
}
