package tolvin.service.record.key;

import jakarta.enterprise.context.ApplicationScoped;
import tolvin.service.store.RowStore;

/** Downloads. */
@ApplicationScoped
public class DownloadStore extends RowStore<DownloadRow> {
  DownloadStore() {
    super(DownloadRow.class, "download");
  }
}
