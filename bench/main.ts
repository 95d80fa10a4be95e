import { benchCalls } from './calls.ts';
import { benchCheck } from './check.ts';
import { benchContract } from './contract.ts';
import { benchLanguage } from './language.ts';
import { benchLoops } from './loops.ts';
import { benchMasking } from './masking.ts';
import { benchRecord } from './record.ts';
import { benchScale } from './scale.ts';
import { benchStream } from './stream.ts';
import { benchStart } from './start.ts';
import { benchTeam } from './team.ts';
import { benchTransfer } from './transfer.ts';

const wanted = process.argv.slice(2);
const parts = {
  language: benchLanguage,
  start: benchStart,
  check: benchCheck,
  calls: benchCalls,
  transfer: benchTransfer,
  stream: benchStream,
  loops: benchLoops,
  contract: benchContract,
  masking: benchMasking,
  record: benchRecord,
  team: benchTeam,
  scale: benchScale,
};
for (const [name, part] of Object.entries(parts))
  if (wanted.length === 0 || wanted.includes(name)) await part();
