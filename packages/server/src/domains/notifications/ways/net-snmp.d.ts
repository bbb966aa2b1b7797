/** The part of net-snmp that sends notifications; the package brings no types. */
declare module "net-snmp" {
  export interface VarBind {
    readonly oid: string;
    readonly type: number;
    readonly value: string | number;
  }
  export interface User {
    readonly name: string;
    readonly level: number;
    readonly authProtocol?: number;
    readonly authKey?: string;
    readonly privProtocol?: number;
    readonly privKey?: string;
  }
  export interface SessionOptions {
    readonly version?: number;
    readonly trapPort: number;
    readonly transport: "udp4" | "udp6";
    readonly engineID?: string;
    readonly retries: number;
    /** Milliseconds. */
    readonly timeout: number;
    readonly backoff: number;
  }
  export interface Request {
    readonly message: {
      readonly msgSecurityParameters?: { msgAuthoritativeEngineBoots: number; msgAuthoritativeEngineTime: number };
    };
  }
  type Done = (failed: Error | null) => void;
  export interface Session {
    trap(oid: string, bindings: readonly VarBind[], done: Done): void;
    inform(oid: string, bindings: readonly VarBind[], done: Done): void;
    send(request: Request, noWait?: boolean): Session;
    on(event: "error", heard: (failed: Error) => void): void;
    close(): void;
  }
  export interface Received {
    readonly pdu: {
      readonly type: number;
      readonly varbinds: readonly { oid: string; type: number; value: unknown }[];
    };
    readonly rinfo: { readonly address: string };
  }
  export interface Receiver {
    getAuthorizer(): { addCommunity(community: string): void; addUser(user: User): void };
    close(done?: () => void): void;
  }
  const snmp: {
    createSession(target: string, community: string, options: SessionOptions): Session;
    createV3Session(target: string, user: User, options: SessionOptions): Session;
    createReceiver(
      options: {
        readonly port: number;
        readonly address?: string;
        readonly disableAuthorization?: boolean;
        readonly engineID?: string;
      },
      heard: (failed: Error | null, received: Received) => void,
    ): Receiver;
    readonly Version2c: number;
    readonly SecurityLevel: { readonly noAuthNoPriv: number; readonly authNoPriv: number; readonly authPriv: number };
    readonly AuthProtocols: Readonly<Record<"sha" | "sha256" | "sha512", number>>;
    readonly PrivProtocols: Readonly<Record<"aes", number>>;
    readonly ObjectType: Readonly<Record<"OctetString" | "Integer" | "Unsigned32" | "Gauge", number>>;
  };
  export default snmp;
}
