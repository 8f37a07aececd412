import { request } from "@/api/request";

/** The key with which a person builds in this browser: made at first need, never leaves it, and cannot be read out of it. */
interface BuildKey {
  privateKey: CryptoKey;
  x: string;
  y: string;
}

const CURVE = { name: "ECDSA", namedCurve: "P-256" } as const;

/** Why nothing can be signed here; null where it can. Browsers give keys to pages only over https, or on the machine itself. */
export function cannotSign(): string | null {
  return globalThis.crypto?.subtle ? null : "This browser signs only on pages that come over https. Build with the command line, or open the console over https.";
}

/** The SHA-256 of a text, in lower-case hexadecimal. */
export async function digestOf(text: string): Promise<string> {
  const digest = new Uint8Array(await crypto.subtle.digest("SHA-256", new TextEncoder().encode(text)));
  return [...digest].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** A compact JWS (RFC 7515, ES256) over digest, app and version, by this person's key; the service is told of the key first. */
export async function sign(account: string, digest: string, app: string, version: string): Promise<string> {
  const key = (await kept(account)) ?? (await made(account));
  await request("post", "/api/v1/account/signing-keys", { body: { x: key.x, y: key.y, proof: await token(key, { use: "signing-key", account }) } });
  return token(key, { digest, app, version });
}

async function token(key: BuildKey, claims: object): Promise<string> {
  const thumbprint = base64(await crypto.subtle.digest("SHA-256", new TextEncoder().encode(`{"crv":"P-256","kty":"EC","x":"${key.x}","y":"${key.y}"}`)));
  const text = `${part({ alg: "ES256", kid: thumbprint, typ: "JWT" })}.${part(claims)}`;
  const signature = await crypto.subtle.sign({ name: "ECDSA", hash: "SHA-256" }, key.privateKey, new TextEncoder().encode(text));
  return `${text}.${base64(signature)}`;
}

async function made(account: string): Promise<BuildKey> {
  const pair = await crypto.subtle.generateKey(CURVE, false, ["sign", "verify"]);
  const { x, y } = await crypto.subtle.exportKey("jwk", pair.publicKey);
  const key = { privateKey: pair.privateKey, x: x!, y: y! };
  await inStore("readwrite", (store) => store.put(key, account));
  return key;
}

function kept(account: string): Promise<BuildKey | undefined> {
  return inStore("readonly", (store) => store.get(account) as IDBRequest<BuildKey | undefined>);
}

function inStore<T>(mode: IDBTransactionMode, act: (store: IDBObjectStore) => IDBRequest<T>): Promise<T> {
  return new Promise((resolve, reject) => {
    const opening = indexedDB.open("bandejo", 1);
    opening.onupgradeneeded = () => opening.result.createObjectStore("build-keys");
    opening.onerror = () => reject(opening.error);
    opening.onsuccess = () => {
      const asking = act(opening.result.transaction("build-keys", mode).objectStore("build-keys"));
      asking.onerror = () => reject(asking.error);
      asking.onsuccess = () => {
        opening.result.close();
        resolve(asking.result);
      };
    };
  });
}

function part(value: object): string {
  return base64(new TextEncoder().encode(JSON.stringify(value)));
}

function base64(bytes: ArrayBuffer | Uint8Array): string {
  return btoa(String.fromCharCode(...new Uint8Array(bytes))).replace(/\+/g, "-").replace(/\//g, "_").replace(/=+$/, "");
}
