import { dirname, resolve } from 'node:path';
import type { Project } from '../../core/chain/project.ts';

/** The folder of a project: that of its file, or the working one. */
export function projectFolder({ file }: Pick<Project, 'file'>): string {
  return file === undefined ? process.cwd() : dirname(resolve(file));
}
