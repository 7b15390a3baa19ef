/** What a system or a family wants to be told of one installation. */
export interface Setting {
  name: string;
  about?: string;
  /** What it is if nothing is said; without it, something has to be. */
  usual?: string;
  /** Whether it takes several lines. */
  long?: boolean;
}

/** What is asked of the families that Tolvin knows how to talk to by itself. */
export interface OwnFamily {
  title: string;
  port: number;
  /** What Tolvin connects as, where somebody has to say so. */
  user?: string;
  /** Whether it connects with a secret. */
  secret: boolean;
  /** Whether its accounts sign in at another server. */
  elsewhere: boolean;
  settings: Setting[];
}

export const OWN_FAMILIES: Record<string, OwnFamily> = {
  sftp_server: {
    title: "SSH server, with keys in files",
    port: 22,
    secret: false,
    elsewhere: false,
    settings: [],
  },
  key_repository: {
    title: "Key repository, with keys in files of a git repository",
    port: 22,
    user: "git",
    secret: false,
    elsewhere: true,
    settings: [
      { name: "path", about: "the repository's path, as git gives it to the server" },
      { name: "branch", about: "the branch that counts", usual: "main" },
      {
        name: "files",
        about: "the names of an account's files; {login}, and {key} for a file each",
        usual: "keys/{login}.pub",
      },
      { name: "author", about: "who commits", usual: "Tolvin <tolvin@localhost>" },
      { name: "signed", about: "whether commits are signed, yes or no", usual: "no" },
    ],
  },
  directory: {
    title: "Directory, with keys on people's entries (LDAP)",
    port: 636,
    user: "",
    secret: true,
    elsewhere: true,
    settings: [
      { name: "base", about: "below which people are" },
      { name: "filter", about: "how a login's entry is found", usual: "(uid={login})" },
      { name: "attribute", about: "the attribute with the keys" },
      { name: "object-class", about: "the class that an entry needs for it", usual: "" },
      { name: "security", about: "LDAPS or STARTTLS", usual: "LDAPS" },
      { name: "trusted-certificate", about: "what its own is checked with, as PEM", long: true },
    ],
  },
  partner: {
    title: "Partner, whose server only they can change",
    port: 22,
    secret: false,
    elsewhere: false,
    settings: [
      { name: "to-whom", about: "who is asked there" },
      { name: "contact", about: "how they are reached, from a list of your own" },
      {
        name: "form",
        about: "the form of a key that they take: rfc4716, one-line, spki, …",
        usual: "authorized-keys",
      },
    ],
  },
};
