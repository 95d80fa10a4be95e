// The parts of undici that send requests, by their own files: its index loads fetch, web sockets and caches as well, and by
// asking for the global Headers also Node's own copy of undici, which together take longer than a short run.
declare module 'undici/lib/dispatcher/agent.js' {
  export { Agent as default } from 'undici';
}
declare module 'undici/lib/core/connect.js' {
  export { buildConnector as default } from 'undici';
}
declare module 'undici/lib/dispatcher/proxy-agent.js' {
  export { ProxyAgent as default } from 'undici';
}
declare module 'undici/lib/dispatcher/dispatcher.js' {
  /** Without the methods that undici's index adds. */
  const Dispatcher: { prototype: { connect?: unknown } };
  export default Dispatcher;
}
declare module 'undici/lib/api/api-connect.js' {
  const connect: unknown;
  export default connect;
}
declare module 'undici/lib/web/eventsource/eventsource-stream.js' {
  import type { Transform } from 'node:stream';
  /** The parser of undici's EventSource. */
  export class EventSourceStream extends Transform {
    constructor(options: {
      eventSourceSettings: { lastEventId: string; origin: string; reconnectionTime: number };
      push: (event: { type: string; options: { data?: string } } | null) => void;
    });
  }
}
