import pc from 'picocolors';
import { type Terminal, takenAway } from '../../src/cli/terminal/terminal.ts';

/** A terminal without colours that keeps what is written to it. */
export class WrittenTerminal implements Terminal {
  readonly colours = pc.createColors(false);
  readonly width: number;
  readonly wrapWidth: number;
  readonly live: boolean;
  written = '';

  constructor(width: number, live: boolean) {
    this.width = width;
    this.wrapWidth = live ? width : Infinity;
    this.live = live;
  }

  write(text: string): void {
    this.written += text;
  }

  takeAway(lines: number): void {
    this.written += takenAway(lines);
  }
}
