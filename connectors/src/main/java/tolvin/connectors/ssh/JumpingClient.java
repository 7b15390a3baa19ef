package tolvin.connectors.ssh;

import java.io.IOException;
import java.net.InetSocketAddress;
import java.net.SocketAddress;
import java.nio.ByteBuffer;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.channel.ChannelDirectTcpip;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.AttributeRepository;
import org.apache.sshd.common.channel.BufferedIoOutputStream;
import org.apache.sshd.common.channel.StreamingChannel.Streaming;
import org.apache.sshd.common.future.CloseFuture;
import org.apache.sshd.common.future.SshFutureListener;
import org.apache.sshd.common.io.DefaultIoConnectFuture;
import org.apache.sshd.common.io.IoConnectFuture;
import org.apache.sshd.common.io.IoConnector;
import org.apache.sshd.common.io.IoHandler;
import org.apache.sshd.common.io.IoService;
import org.apache.sshd.common.io.IoServiceEventListener;
import org.apache.sshd.common.io.IoSession;
import org.apache.sshd.common.io.IoWriteFuture;
import org.apache.sshd.common.session.ConnectionService;
import org.apache.sshd.common.util.Readable;
import org.apache.sshd.common.util.buffer.Buffer;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import org.apache.sshd.common.util.closeable.AbstractCloseable;
import org.apache.sshd.common.util.net.SshdSocketAddress;

/**
 * An SSH client whose connections may run inside a channel of another connection (RFC 4254 section
 * 7.2), named by {@link #THROUGH} in their context. Nothing listens on this machine for it, so that
 * no other program here gets to what lies behind a jump host.
 */
final class JumpingClient extends SshClient {
  /** The connection to the jump host; without it, the server is connected to directly. */
  static final AttributeRepository.AttributeKey<ClientSession> THROUGH =
      new AttributeRepository.AttributeKey<>();

  /** What the channel says of where it comes from; jump hosts may log it. */
  private static final SshdSocketAddress ORIGIN = new SshdSocketAddress("127.0.0.1", 0);

  @Override
  protected IoConnector createConnector() {
    return new Connector(super.createConnector(), getSessionFactory());
  }

  private static final class Connector implements IoConnector {
    private final IoConnector direct;
    private final IoHandler handler;

    Connector(IoConnector direct, IoHandler handler) {
      this.direct = direct;
      this.handler = handler;
    }

    @Override
    public IoConnectFuture connect(
        SocketAddress address, AttributeRepository context, SocketAddress local) {
      ClientSession jump = context == null ? null : context.getAttribute(THROUGH);
      if (jump == null) {
        return direct.connect(address, context, local);
      }
      IoConnectFuture future = new DefaultIoConnectFuture(address, null);
      try {
        Passage passage = new Passage((InetSocketAddress) address, this, context, future);
        jump.getService(ConnectionService.class).registerChannel(passage);
        passage.open();
      } catch (IOException | RuntimeException e) {
        future.setException(e);
      }
      return future;
    }

    @Override
    public Map<Long, IoSession> getManagedSessions() {
      return direct.getManagedSessions();
    }

    @Override
    public IoServiceEventListener getIoServiceEventListener() {
      return direct.getIoServiceEventListener();
    }

    @Override
    public void setIoServiceEventListener(IoServiceEventListener listener) {
      direct.setIoServiceEventListener(listener);
    }

    @Override
    public CloseFuture close(boolean immediately) {
      return direct.close(immediately);
    }

    @Override
    public void addCloseFutureListener(SshFutureListener<CloseFuture> listener) {
      direct.addCloseFutureListener(listener);
    }

    @Override
    public void removeCloseFutureListener(SshFutureListener<CloseFuture> listener) {
      direct.removeCloseFutureListener(listener);
    }

    @Override
    public boolean isClosed() {
      return direct.isClosed();
    }

    @Override
    public boolean isClosing() {
      return direct.isClosing();
    }
  }

  /** The channel. What comes out of it is handed on by the thread that reads the jump's socket. */
  private static final class Passage extends ChannelDirectTcpip {
    private final InetSocketAddress behind;
    private final Connector connector;
    private final AttributeRepository context;
    private final IoConnectFuture future;
    private Inside inside;

    Passage(
        InetSocketAddress behind,
        Connector connector,
        AttributeRepository context,
        IoConnectFuture future) {
      super(ORIGIN, new SshdSocketAddress(behind.getHostString(), behind.getPort()));
      this.behind = behind;
      this.connector = connector;
      this.context = context;
      this.future = future;
      setStreaming(Streaming.Async);
    }

    @Override
    public void handleOpenSuccess(long recipient, long window, long packet, Buffer buffer) {
      super.handleOpenSuccess(recipient, window, packet, buffer);
      inside = new Inside(this);
      inside.setAttribute(AttributeRepository.class, context);
      addCloseFutureListener(closed -> inside.close(true));
      try {
        connector.handler.sessionCreated(inside);
        future.setSession(inside);
      } catch (Exception e) {
        future.setException(e);
        close(true);
      }
    }

    @Override
    public void handleOpenFailure(Buffer buffer) {
      super.handleOpenFailure(buffer);
      future.setException(
          new IOException(
              "the jump host did not connect: "
                  + (openFailureMsg == null || openFailureMsg.isBlank()
                      ? "reason " + openFailureReason
                      : openFailureMsg)));
    }

    @Override
    protected void doWriteData(byte[] data, int offset, long length) throws IOException {
      try {
        connector.handler.messageReceived(
            inside, Readable.readable(ByteBuffer.wrap(data, offset, (int) length)));
      } catch (Exception e) {
        inside.failed(e);
      }
      getLocalWindow().release(length);
    }

    @Override
    public void handleEof() throws IOException {
      super.handleEof();
      inside.close(false);
    }
  }

  /** The connection inside the channel, as the SSH library knows connections. */
  private static final class Inside extends AbstractCloseable implements IoSession {
    private final Passage passage;
    private final BufferedIoOutputStream out;
    private final Map<Object, Object> attributes = new ConcurrentHashMap<>();

    Inside(Passage passage) {
      super(passage.toString());
      this.passage = passage;
      this.out =
          new BufferedIoOutputStream(
              passage, passage.getChannelId(), passage.getAsyncIn(), passage.getSession());
    }

    void failed(Exception e) {
      try {
        passage.connector.handler.exceptionCaught(this, e);
      } catch (Exception unhandled) {
        log.warn("{}: {}", this, unhandled.toString());
        close(true);
      }
    }

    @Override
    public IoWriteFuture writeBuffer(Buffer buffer) throws IOException {
      // a copy: the channel would write its own header into a packet of the connection inside
      return out.writeBuffer(new ByteArrayBuffer(buffer.getCompactData()));
    }

    @Override
    protected CloseFuture doCloseGracefully() {
      return builder().close(out).close(passage).build().close(false);
    }

    @Override
    protected void doCloseImmediately() {
      passage.close(true);
      try {
        passage.connector.handler.sessionClosed(this);
      } catch (Exception e) {
        log.warn("{}: {}", this, e.toString());
      }
      super.doCloseImmediately();
    }

    @Override
    public long getId() {
      return passage.getChannelId();
    }

    @Override
    public SocketAddress getRemoteAddress() {
      return passage.behind;
    }

    @Override
    public SocketAddress getLocalAddress() {
      return passage.getSession().getLocalAddress();
    }

    @Override
    public SocketAddress getAcceptanceAddress() {
      return null; // it was not accepted
    }

    @Override
    public IoService getService() {
      return passage.connector;
    }

    @Override
    public void shutdownOutputStream() throws IOException {
      out.close(false);
    }

    @Override
    public void suspendRead() {
      throw new UnsupportedOperationException("only channels of forwarded ports ask for it");
    }

    @Override
    public void resumeRead() {
      throw new UnsupportedOperationException("only channels of forwarded ports ask for it");
    }

    @Override
    public Object getAttribute(Object key) {
      return attributes.get(key);
    }

    @Override
    public Object setAttribute(Object key, Object value) {
      return attributes.put(key, value);
    }

    @Override
    public Object setAttributeIfAbsent(Object key, Object value) {
      return attributes.putIfAbsent(key, value);
    }

    @Override
    public Object removeAttribute(Object key) {
      return attributes.remove(key);
    }
  }
}
