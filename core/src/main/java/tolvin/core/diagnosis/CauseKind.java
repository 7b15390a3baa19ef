package tolvin.core.diagnosis;

/**
 * The causes that are known, in the order in which a sign-in meets them, each with its remedy. What
 * is met first hides what would be met later.
 */
public enum CauseKind {
  NAME_UNKNOWN(
      "Correct the host name in the client's configuration, or the name service on that machine."),
  UNREACHABLE("Correct host and port; look whether the server runs and what stands between."),
  WRONG_PLACE("Correct HostName and Port in the client's configuration."),
  NO_COMMON_ALGORITHM(
      "Bring client or server up to date; the client's log names what the two do not share."),
  HOST_KEY_CHANGED(
      "Do not go on. Ask the server's administrator whether its host key was changed, compare the"
          + " fingerprint over the phone, and only then pin the new one."),
  HOST_KEY_OLD_AT_CLIENT(
      "Replace the client's line for this host: tolvin key give --to known-hosts."),
  HOST_KEY_UNKNOWN(
      "Put the pinned host key into the client's known_hosts: tolvin key give --to known-hosts."),
  WRONG_LOGIN("Correct User in the client's configuration."),
  LOGIN_UNKNOWN("Correct the login, or let the server's administrator make the account."),
  LOGIN_NOT_ALLOWED(
      "Let the server's administrator let this login in: AllowUsers, DenyUsers and their group"
          + " forms, its shell, its lock."),
  KEYS_OFF(
      "Let the server's administrator allow keys: PubkeyAuthentication yes, and publickey among"
          + " AuthenticationMethods."),
  PASSWORD_IN_FORCE(
      "Have the system's administrator set the account to sign in with its key, or with either; turn"
          + " the password off only when the key is proven."),
  CLIENT_FILE_MISSING(
      "Correct IdentityFile in the client's configuration, or put the private file there."),
  CLIENT_FILE_UNREADABLE("Give the file to the user that the client runs as."),
  CLIENT_FILE_OPEN("Run chmod 600 on the private file; until then the client ignores it."),
  CLIENT_FILE_PUBLIC("Name the private file, the one without .pub, in IdentityFile."),
  CLIENT_FILE_DAMAGED(
      "Take the private file from a back-up, or make a new key. If it came from another program,"
          + " convert it there into OpenSSH's form."),
  STALE_PUBLIC_FILE(
      "Remove the .pub file beside the private file, or write it anew: ssh-keygen -y -f FILE."),
  PASSPHRASE(
      "Add the key to an agent with ssh-add, or give the right passphrase. If it is lost, make a new"
          + " key and rotate."),
  AGENT_SILENT(
      "Start an agent and add the key with ssh-add, or unset SSH_AUTH_SOCK and name the private"
          + " file."),
  AGENT_REFUSED("Unlock the agent with ssh-add -X, or say yes when it asks for confirmation."),
  DEVICE_UNPLUGGED("Plug the security key in and try again."),
  DEVICE_NOT_TOUCHED("Try again and touch the security key when it blinks."),
  DEVICE_PIN("Try again and type the security key's PIN."),
  DEVICE_REFUSED(
      "Plug in the security key that the key was made on, touch it when it blinks, and type its PIN"
          + " if it asks."),
  KEY_NOT_OFFERED(
      "Name the right private file with IdentityFile, with IdentitiesOnly yes beside it."),
  CLIENT_ALGORITHM(
      "The server takes RSA signatures with SHA-1 only, or the client forbids the key's type: use"
          + " an Ed25519 key, or bring the server up to date."),
  TOO_MANY_KEYS(
      "Put IdentitiesOnly yes and the one IdentityFile into the client's configuration, so that"
          + " only this key is offered."),
  ALGORITHM_NOT_ALLOWED(
      "Register a key of a type that the server allows, or let its administrator add the type to"
          + " PubkeyAcceptedAlgorithms."),
  KEY_TOO_SHORT("Make a longer key: RSA with 3072 bits or more, or Ed25519."),
  REVOCATION_LIST_DAMAGED(
      "Let the server's administrator put a readable revocation list in place at once: as it is,"
          + " every key is refused."),
  REVOKED("This key was revoked. Make a new key and register that."),
  OPEN_HOME("Run chmod go-w on the home directory; the server ignores the keys of open homes."),
  OPEN_DIRECTORY("Run chmod 700 on the directory; the server ignores files in open directories."),
  OPEN_FILE("Run chmod 600 on the file; the server ignores keys that others can write."),
  FOREIGN_OWNER("Give file and directory to the account itself: chown."),
  PRIVATE_HALF_REGISTERED(
      "Take the private key out of the file and treat that key as exposed: make a new one and"
          + " register its public key."),
  LINE_WRAPPED("Put the key on one line again: withdraw it and place it from the record."),
  LINE_COMMENTED_OUT("Remove the # before the line, if nobody put it there on purpose."),
  BYTE_ORDER_MARK("Save the file without a byte-order mark; the first line counts only then."),
  LINES_GLUED("Begin a new line where the second key begins; the line before had no line end."),
  LINE_OPTION("Correct or remove the option; the server ignores lines with unknown ones."),
  LINE_DAMAGED("Replace the line by the key from the record: withdraw it and place it again."),
  OTHER_FORM("Put the one-line form there: tolvin key give KEY --to one-line."),
  AUTHORITY_LINE(
      "Remove cert-authority from the line; with it the key signs certificates, and nobody in."),
  SEVERAL_IN_A_FILE(
      "Put each key into a file of its own, and nothing else: what reads these files ignores one with"
          + " more lines."),
  WRONG_FILE_NAME("Rename the file to the name that the server reads."),
  WRONG_ACCOUNT("Place the key on the account that the client signs in to, or correct its User."),
  REPLACED("Find out who edits this file besides Tolvin, and place the key again."),
  SIGNING_ONLY("Register it for signing in as well: tolvin placement place KEY ACCOUNT."),
  NOT_REGISTERED("Place the key on the account: tolvin placement place KEY ACCOUNT."),
  NOT_YET_EVERYWHERE("Wait until the destination has copied the key everywhere, then try again."),
  OTHER_KEYS_FILE(
      "Ask the server's administrator for AuthorizedKeysFile and AuthorizedKeysCommand, and correct"
          + " the path of the keys in the destination."),
  OTHER_SOURCE(
      "Ask the server's administrator where it takes its keys from and when it last did, and look"
          + " whether the destination's “signs in at” names that server."),
  ADMINISTRATOR_SEES(
      "Send its administrator the text for support: tolvin trial text. Their log's lines about this"
          + " sign-in say whether the key is registered, whole and allowed."),
  REFUSED_THERE(
      "Ask its administrator whether the account or the key is blocked there, and whether sign-ins"
          + " from this address are allowed: tolvin trial text gives what to send."),
  EXPIRED("Place a key with a later end, or rotate this one."),
  WRONG_ADDRESS("Sign in from an address that the line names in from=, or correct the line."),
  KEY_OPTIONS("Look at the options before the key; one of them refuses this sign-in."),
  TOUCH_WANTED("Make the key without no-touch-required, or let the line say no-touch-required."),
  PIN_WANTED(
      "Make the key with -O verify-required, so that the device asks for its PIN, or drop"
          + " verify-required from the line."),
  PASSWORD_TOO("Give the account's password as well: it wants both."),
  ACCOUNT_DISABLED("Have the system's administrator enable the account again."),
  CLOCK(
      "Set the clock of the machine that signs, and have it kept by NTP: an assertion is valid for"
          + " minutes only."),
  ASSERTION_NAMES(
      "Compare with the system's documentation how it wants issuer, audience and key to be named,"
          + " and correct “trial” in the sheet."),
  UNKNOWN("Try again with the client on the holder's machine, which sees both sides.");

  private final String remedy;

  CauseKind(String remedy) {
    this.remedy = remedy;
  }

  /** What to do about it. */
  public String remedy() {
    return remedy;
  }
}
