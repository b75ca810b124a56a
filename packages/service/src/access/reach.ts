/**
 * Which addresses the service sends to. Whoever may register a webhook could otherwise make it ask programs that only
 * this computer or its network reaches; so private addresses are refused unless they were listed, by name and by
 * what a name leads to, at the moment it is used.
 */

import { type LookupAddress, lookup } from "node:dns";
import { isIP, type LookupFunction } from "node:net";
import ipaddr from "ipaddr.js";

export class Reach {
  /** @param listed hosts that may be reached although they are private, as addresses of webhooks name them */
  constructor(private readonly listed: readonly string[]) {}

  /** Why an address may not be sent to, in words; undefined when it may, as far as it shows. */
  refusal({ protocol, hostname, username }: URL): string | undefined {
    if (protocol !== "http:" && protocol !== "https:") return "A webhook's address begins with http: or https:.";
    if (username !== "") return "A webhook's address has no name and password in it; its messages are signed.";
    const host = bare(hostname);
    if (this.listed.includes(host) || isIP(host) === 0 || isPublic(host)) return undefined;
    return `${host} is a private address. Let the service reach it with: --hook-host ${host}`;
  }

  /** Resolves a name as `dns.lookup` does, except for names that lead to private addresses. */
  readonly lookup: LookupFunction = (hostname, options, callback) => {
    lookup(hostname, { ...options, all: true }, (error, addresses) => {
      const found = (addresses as LookupAddress[] | undefined) ?? [];
      const open = this.listed.includes(hostname) ? found : found.filter(({ address }) => isPublic(address));
      const [first] = open;
      if (error) callback(error, "", 0);
      else if (!first) callback(new Error(`${hostname} leads to a private address`), "", 0);
      else if (options.all) callback(null, open);
      else callback(null, first.address, first.family);
    });
  };
}

/** An address without the brackets of IPv6. */
function bare(hostname: string): string {
  return hostname.replace(/^\[|\]$/g, "").toLowerCase();
}

function isPublic(address: string): boolean {
  return ipaddr.process(address).range() === "unicast";
}
