import { createHash, randomBytes } from 'node:crypto';
import { readFileSync, readlinkSync } from 'node:fs';
import { hostname } from 'node:os';
import { isAlive } from '../secrets/process.ts';

/** Of the name of a host so many characters are told. */
const HOST = 40;

/** Stands for a place that can't be told from others. */
const ANYWHERE = '000000';

/**
 * Where process ids mean the same: the system since its start, and the container in it, as six hex digits. Machines may well be named
 * alike, and have processes of the same id.
 */
function placeOfProcesses(): string {
  try {
    const boot = readFileSync('/proc/sys/kernel/random/boot_id', 'utf8');
    return createHash('sha256')
      .update(`${boot} ${readlinkSync('/proc/self/ns/pid')}`)
      .digest('hex')
      .slice(0, ANYWHERE.length);
  } catch {
    return ANYWHERE;
  }
}

/** The name of this machine for people, and what tells it from others that are named alike. */
export function here(): { readonly host: string; readonly place: string } {
  return { host: hostname(), place: placeOfProcesses() };
}

/** The name of this process in a team, which no other one has. */
export function machineName(): string {
  return `${hostname().slice(0, HOST)}-${process.pid}-${placeOfProcesses()}${randomBytes(3).toString('hex')}`;
}

/** Whether a process of a team, by its name, is one of this machine. */
export function isOfHere(machine: string): boolean {
  const [, host, place] = /^(.*)-\d+-([0-9a-f]{6})[0-9a-f]{6}$/.exec(machine) ?? [];
  return host === hostname().slice(0, HOST) && place === placeOfProcesses();
}

/** Whether a machine, by its name, is for certain a process of this place that has ended. */
export function hasEndedHere(machine: string): boolean {
  const [, pid, place] = /-(\d+)-([0-9a-f]{6})[0-9a-f]{6}$/.exec(machine) ?? [];
  return place !== undefined && place !== ANYWHERE && place === placeOfProcesses() && !isAlive(Number(pid));
}
