package tolvin.core.estate;

/** The kinds of systems that keys get registered on. */
public enum Family {
  /** An SSH server whose accounts keep their keys in files. */
  SFTP_SERVER,

  /** A git repository with a file of keys for each account. */
  KEY_REPOSITORY,

  /** An LDAP directory with keys as values of an attribute. */
  DIRECTORY,

  /** Somebody else's server, which only its own administrator changes. */
  PARTNER,

  /** A host of source code, described by a sheet. */
  CODE_HOST,

  /** A data warehouse, described by a sheet. */
  WAREHOUSE,

  /** A build system, described by a sheet. */
  BUILD_SYSTEM
}
