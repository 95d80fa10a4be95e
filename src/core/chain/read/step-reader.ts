import type { Spot } from '../../contract/document.ts';
import type { FieldReader } from '../fields/fields.ts';
import type { Finding } from '../source/finding.ts';
import type { Chain, Input, Step } from '../model.ts';
import type { Project } from '../project.ts';
import type { SourceFile } from '../source/source-file.ts';

/** What reading steps needs to know besides the file itself. */
export interface StepReader {
  readonly fields: FieldReader;
  readonly project: Project;
  /** All names that the chain uses anywhere. */
  readonly used: Set<string>;
  /** Its calls that a description knows, as they are read. */
  readonly contracts: DescribedLines;
  /** Files that the chain file names, and what was found in them. */
  readonly files?: OtherFiles;
  /** The steps that are read take something back. */
  readonly undoing?: boolean;
  /** The steps that are read are carried out at the end of a run. */
  readonly ending?: boolean;
  /** The credential of the step whose undo is read. */
  readonly undoAs?: string;
  /** The inputs of the chain. */
  readonly inputs?: readonly Input[];
  /** The chain files that follow one another up to this one. */
  readonly following?: readonly string[];
  /** Reads a chain file that a step follows. */
  readonly follow?: (path: string) => FollowedFile | undefined;
}

/** On which lines calls stand that a description knows, and how they are held to it. */
export type DescribedLines = {
  readonly line: number;
  readonly level: 'strict' | 'warn';
  /** Where the description speaks of it. */
  readonly at: Spot;
}[];

/** A chain file that another one follows, as read. */
export interface FollowedFile {
  readonly path: string;
  readonly chain?: Chain;
  /** Names of inputs and results are known even where something else is wrong. */
  readonly findings: readonly FileFinding[];
}

/** A finding with the file in which it was found. */
export interface FileFinding {
  readonly file: SourceFile;
  readonly finding: Finding;
}

/** Reads the files that a chain file names, by their paths as written there. */
export interface OtherFiles {
  readonly read: (path: string) => { readonly path: string; readonly text: string } | undefined;
  readonly exists: (path: string) => boolean;
  /** The columns of a file of CSV that is there. */
  readonly columns: (path: string) => readonly string[] | undefined;
  /** Files that steps above write; `*` where what one writes is known only in the run. */
  readonly made: Set<string>;
  readonly found: FileFinding[];
}

/** What is common to all steps and read before what they do. */
export type StepBase = Pick<
  Step,
  'address' | 'name' | 'about' | 'at' | 'when' | 'onFail' | 'mustFail' | 'fingerprint' | 'undo'
>;
