import type { PaceSetting } from './chain/project.ts';

/** What the machines of a team share while they run a project. */
export interface Team {
  /** What a run that has begun does where the others can't be reached: it stops, or goes on by its own share. */
  readonly without: 'stop' | 'go-on';
  readonly paces: SharedPaces;
}

/** Decides for all machines of a team when their requests may go. */
export interface SharedPaces {
  /**
   * The pace of a service at an origin. `changed` is called when a request may go that had to wait for others, and when the service
   * has said something.
   */
  open(pace: { readonly name: string; readonly origin: string }, changed: () => void): SharedPace;
}

/** One pace, as all machines together keep it. Each method throws `team-away` where the others can't be reached. */
export interface SharedPace {
  /** Asks to let so many requests go; `setting` is that of this machine. */
  ask(setting: PaceSetting, wanted: number): Promise<PaceAnswer>;
  /** None is waited for any more. */
  withdraw(): void;
  /** A request that was let go goes out on its connection. */
  sent(grant: PaceGrant): void;
  /** One has ended; what the service said of how many requests it will take, if it did. */
  left(grant: PaceGrant, heard: PaceHeard): void;
  /** The service said to leave it alone for so many milliseconds, by this field. */
  wait(milliseconds: number, by: string | undefined): void;
}

export interface PaceAnswer {
  /** Requests that may go, in the order of their times. */
  readonly granted: readonly PaceGrant[];
  /** When to ask again, in milliseconds; undefined where that shows only when another one has ended. */
  readonly wait?: number;
  /** How long the service is left alone, in milliseconds, and by what it said so. */
  readonly blocked?: { readonly wait: number; readonly by?: string };
  /** How many machines share the pace. */
  readonly machines: number;
}

/** One request that may go. */
export interface PaceGrant {
  readonly id: number;
  /** In so many milliseconds. */
  readonly after: number;
}

export interface PaceHeard {
  /** It went out. */
  readonly wasSent: boolean;
  /** A response that says nothing of what is left lifts what was said before. */
  readonly left?: 'unlimited' | { readonly requests: number; readonly resets: number };
}
