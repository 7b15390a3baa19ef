package tolvin.service.key;

import jakarta.enterprise.context.ApplicationScoped;
import tolvin.service.store.RowStore;

/** Downloads. */
@ApplicationScoped
class DownloadStore extends RowStore<DownloadRow> {
  DownloadStore() {
    super(DownloadRow.class, "download");
  }
}
