package tolvin.connectors.git;

import java.io.IOException;
import java.time.Clock;
import java.time.ZoneOffset;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.Predicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eclipse.jgit.dircache.DirCache;
import org.eclipse.jgit.dircache.DirCacheBuilder;
import org.eclipse.jgit.dircache.DirCacheEditor;
import org.eclipse.jgit.dircache.DirCacheEntry;
import org.eclipse.jgit.lib.CommitBuilder;
import org.eclipse.jgit.lib.Constants;
import org.eclipse.jgit.lib.FileMode;
import org.eclipse.jgit.lib.GpgSignature;
import org.eclipse.jgit.lib.ObjectId;
import org.eclipse.jgit.lib.ObjectInserter;
import org.eclipse.jgit.lib.ObjectReader;
import org.eclipse.jgit.lib.PersonIdent;
import org.eclipse.jgit.lib.Repository;
import org.eclipse.jgit.revwalk.RevWalk;
import org.eclipse.jgit.treewalk.TreeWalk;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.proof.SshSignature;

/** Reads and makes commits in a copy of a repository, without a work tree. */
final class Commits {
  private static final int LARGEST = 16 * 1024 * 1024;

  /** What git signs commits for (gitformat-signature(5); OpenSSH's PROTOCOL.sshsig). */
  private static final String NAMESPACE = "git";

  private static final Pattern AUTHOR = Pattern.compile("(.+?)\\s*<([^<>]*)>");

  private final Repository copy;
  private final KeyRepository settings;
  private final Clock clock;

  Commits(Repository copy, KeyRepository settings, Clock clock) {
    this.copy = copy;
    this.settings = settings;
    this.clock = clock;
  }

  /** What is done about something that is no plain file. */
  @FunctionalInterface
  interface NoFile {
    void at(String path) throws PortException;
  }

  /** The contents of some files in a commit, by their names. */
  static Map<String, byte[]> files(
      Repository copy, ObjectId commit, Predicate<String> names, NoFile noFile)
      throws PortException, IOException {
    Map<String, byte[]> files = new TreeMap<>();
    try (RevWalk commits = new RevWalk(copy);
        TreeWalk walk = new TreeWalk(copy)) {
      walk.addTree(commits.parseCommit(commit).getTree());
      walk.setRecursive(true);
      while (walk.next()) {
        if (!names.test(walk.getPathString())) {
          continue;
        }
        if (walk.getFileMode(0) != FileMode.REGULAR_FILE
            && walk.getFileMode(0) != FileMode.EXECUTABLE_FILE) {
          noFile.at(walk.getPathString());
          continue;
        }
        files.put(
            walk.getPathString(),
            copy.open(walk.getObjectId(0), Constants.OBJ_BLOB).getBytes(LARGEST));
      }
    }
    return files;
  }

  /**
   * Makes a commit in which some files have another content, or are gone where they have none left.
   *
   * @param parent what it stands on; empty for the first of a repository
   */
  ObjectId make(Optional<ObjectId> parent, Map<String, byte[]> files, String message)
      throws PortException, IOException {
    try (ObjectInserter objects = copy.newObjectInserter();
        ObjectReader reader = copy.newObjectReader()) {
      DirCache tree = DirCache.newInCore();
      if (parent.isPresent()) {
        DirCacheBuilder builder = tree.builder();
        try (RevWalk commits = new RevWalk(copy)) {
          builder.addTree(new byte[0], 0, reader, commits.parseCommit(parent.get()).getTree());
        }
        builder.finish();
      }
      DirCacheEditor editor = tree.editor();
      for (Map.Entry<String, byte[]> file : files.entrySet()) {
        if (file.getValue().length == 0) {
          editor.add(new DirCacheEditor.DeletePath(file.getKey()));
          continue;
        }
        ObjectId blob = objects.insert(Constants.OBJ_BLOB, file.getValue());
        editor.add(
            new DirCacheEditor.PathEdit(file.getKey()) {
              @Override
              public void apply(DirCacheEntry entry) {
                if (entry.getRawMode() == 0) {
                  entry.setFileMode(FileMode.REGULAR_FILE);
                }
                entry.setObjectId(blob);
              }
            });
      }
      editor.finish();
      CommitBuilder commit = new CommitBuilder();
      commit.setTreeId(tree.writeTree(objects));
      parent.ifPresent(commit::setParentId);
      PersonIdent author = author();
      commit.setAuthor(author);
      commit.setCommitter(author);
      commit.setMessage(message);
      if (settings.signer().isPresent()) {
        sign(commit, settings.signer().get());
      }
      ObjectId made = objects.insert(commit);
      objects.flush();
      return made;
    }
  }

  private void sign(CommitBuilder commit, Signer signer) throws PortException, IOException {
    try {
      String signature = SshSignature.make(signer, NAMESPACE, commit.build()).text();
      commit.setGpgSignature(
          new GpgSignature(signature.strip().getBytes(java.nio.charset.StandardCharsets.US_ASCII)));
    } catch (SigningException e) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "The commit for " + settings.name() + " could not be signed: " + e.getMessage() + ".",
          "Nothing was pushed.",
          e);
    }
  }

  private PersonIdent author() {
    Matcher author = AUTHOR.matcher(settings.author());
    return author.matches()
        ? new PersonIdent(author.group(1), author.group(2), clock.instant(), ZoneOffset.UTC)
        : new PersonIdent(settings.author(), "", clock.instant(), ZoneOffset.UTC);
  }
}
