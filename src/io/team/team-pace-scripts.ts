// The steps of a shared pace, each carried out by Redis as a whole. The time is that of Redis, so that the clocks of machines don't
// matter. KEYS: the state, by when each of the last requests has reached the service, how many requests of each machine are under way,
// those that may go and have not gone out yet, until when each machine is believed to live, and the machines that wait, in the order in
// which they came.

/** What all of them begin with. */
const BEGIN = `
local state, recent, under, promised, machines, line = KEYS[1], KEYS[2], KEYS[3], KEYS[4], KEYS[5], KEYS[6]
local me = ARGV[1]
local t = redis.call('TIME')
local now = t[1] * 1000 + t[2] / 1000
local function exact(number) return string.format('%.3f', number) end
local function get(name) return tonumber(redis.call('HGET', state, name) or '') end
local function count(by)
  -- Of a machine that was believed to be gone nothing is known any more.
  if tonumber(redis.call('HINCRBY', under, me, by)) < 0 then redis.call('HSET', under, me, 0) return end
  redis.call('HINCRBY', state, 'under', by)
end
-- Only those are woken that wait for others to end; whoever waits for a time comes by itself.
local function wake() if redis.call('HDEL', state, 'asleep') == 1 then redis.call('PUBLISH', state, '') end end
`;

/**
 * Asks for so many requests. As in the pace of one machine, a request goes when the even pace and the last period both allow it; it is
 * told up to 25 ms before, so that nothing is lost while a machine is late. Machines take turns.
 */
export const ASK = `${BEGIN}
local wanted, rate, period, burst, atOnce, lease =
  tonumber(ARGV[2]), tonumber(ARGV[3]), tonumber(ARGV[4]), tonumber(ARGV[5]), tonumber(ARGV[6]), tonumber(ARGV[7])
-- Who has not been heard of for longer than its lease holds nothing any more.
for _, gone in ipairs(redis.call('ZRANGEBYSCORE', machines, '-inf', now)) do
  redis.call('HINCRBY', state, 'under', 0 - tonumber(redis.call('HGET', under, gone) or '0'))
  redis.call('HDEL', under, gone)
  for _, one in ipairs(redis.call('ZRANGE', promised, 0, -1)) do
    if string.sub(one, 1, #gone + 1) == gone .. ' ' then redis.call('ZREM', promised, one) end
  end
  redis.call('ZREM', machines, gone)
  redis.call('ZREM', line, gone)
end
redis.call('ZADD', machines, string.format('%.0f', now + lease), me)
local grace = 10
local width = math.ceil(rate) + burst - 1
-- Where the last period is looked at it is what bounds the pace.
local spacing = rate > 0 and period / rate * (width < 10000 and 1.01 or 1.03) or 0
-- A fast pace is told in larger parts, since each question takes its time.
local ahead = spacing < 5 and 100 or 25
local first, granted, ready, why = 0, {}, 0, 0
local blocked = math.max(0, (get('blocked') or 0) - now)
local others = redis.call('ZCARD', line) - (redis.call('ZRANK', line, me) and 1 or 0)
-- Of what may go within the next moments each of those that wait has a part.
local part = rate > 0 and math.max(1, math.floor(ahead / spacing / (others + 1))) or others > 0 and 1 or wanted
while #granted < wanted and #granted < part do
  local flying = get('under') or 0
  ready, why = now, 0
  if atOnce > 0 and flying >= atOnce then why = -1 break end
  if blocked > 0 then ready = now + blocked break end
  if get('probing') == 1 and flying > 0 then why = -1 break end
  local left = get('left')
  if left and left <= 0 then
    local resets = get('resets') or 0
    if now < resets then ready = resets break end
    if flying > 0 then why = -1 break end
  end
  if rate > 0 then
    ready = math.max(ready, (get('due') or 0) - (burst - 1) * spacing)
    if width < 10000 then
      local from = '(' .. exact(ready - period)
      local over = redis.call('ZCOUNT', recent, from, '+inf') + redis.call('ZCARD', promised) - width
      if over >= 0 then
        local oldest = redis.call('ZRANGEBYSCORE', recent, from, '+inf', 'WITHSCORES', 'LIMIT', over, 1)
        ready = math.max(ready, oldest[2] and tonumber(oldest[2]) + period or now + ahead + grace)
      end
    end
    if ready > now + ahead then break end
  end
  -- Those that came before have their turn first, unless they let it pass.
  local place = redis.call('ZRANK', line, me) or redis.call('ZCARD', line)
  if place > 0 then
    local since = math.max(rate > 0 and ready - ahead or 0, get('freed') or 0)
    if now < since + grace then ready = since + grace + ahead break end
    redis.call('ZREMRANGEBYRANK', line, 0, place - 1)
  end
  local id = redis.call('HINCRBY', state, 'nth', 1)
  if #granted == 0 then first = id end
  if rate > 0 then
    redis.call('HSET', state, 'due', exact(math.max(get('due') or 0, now - 25) + spacing))
    redis.call('ZADD', promised, exact(ready), me .. ' ' .. id)
  end
  if left then redis.call('HINCRBYFLOAT', state, 'left', -1) end
  count(1)
  granted[#granted + 1] = math.ceil(ready - now)
end
local wait = why
-- Whoever got something waits behind the others for more.
if #granted > 0 then redis.call('ZREM', line, me) end
if #granted < wanted then
  redis.call('ZADD', line, 'NX', redis.call('HINCRBY', state, 'ticket', 1), me)
  if why == -1 then redis.call('HSET', state, 'asleep', 1) end
  if why == 0 then
    -- The next one that may go, and one for each that comes before.
    local due = rate > 0 and (get('due') or 0) - (burst - 1) * spacing or 0
    local place = redis.call('ZRANK', line, me)
    wait = math.max(1, math.ceil(math.max(ready, due + place * spacing) - (rate > 0 and ahead or 0) - now))
  end
end
return { first, granted, wait, math.ceil(blocked), redis.call('HGET', state, 'by') or '', redis.call('ZCARD', machines) }
`;

/** A request goes out. It may be slower on its way to the service than those that come after it; its response shows that it was not. */
export const SENT = `${BEGIN}
local function latest(period) return now + math.min(period * 0.04, 1000) end
redis.call('ZREM', promised, me .. ' ' .. ARGV[2])
redis.call('ZADD', recent, exact(latest(tonumber(ARGV[3]))), ARGV[2])
`;

/** A request has ended, and what the service said is left. */
export const LEFT = `${BEGIN}
local left, resets = ARGV[3], ARGV[4]
redis.call('ZREM', promised, me .. ' ' .. ARGV[2])
local believed = redis.call('ZSCORE', recent, ARGV[2])
if believed and tonumber(believed) > now then redis.call('ZADD', recent, exact(now), ARGV[2]) end
count(-1)
local old = (get('older') or 0) > 0
if old then redis.call('HINCRBY', state, 'older', -1) end
if left ~= '' then
  -- What was under way when the service said wait tells nothing of afterwards.
  if not old then redis.call('HDEL', state, 'probing') end
  if left == 'none' then
    redis.call('HDEL', state, 'left', 'resets')
  else
    local free, till = tonumber(left) - (get('under') or 0), now + tonumber(resets)
    -- Of responses that overtook each other on the way from different machines the latest request knows best, or the one that leaves less.
    local known, latest, id = get('left'), get('latest') or 0, tonumber(ARGV[2])
    if known and id < latest then free, till = math.min(free, known), math.max(till, get('resets') or 0) end
    redis.call('HSET', state, 'latest', math.max(id, latest))
    redis.call('HSET', state, 'left', free, 'resets', exact(till))
  end
end
redis.call('HSET', state, 'freed', exact(now))
wake()
`;

/** The service said to leave it alone for so long. */
export const WAIT = `${BEGIN}
local till = now + tonumber(ARGV[2])
redis.call('HSET', state, 'probing', 1, 'older', redis.call('HGET', state, 'under') or 0)
if till > (get('blocked') or 0) then redis.call('HSET', state, 'blocked', exact(till), 'by', ARGV[3]) end
redis.call('PUBLISH', state, '')
`;

/** A machine lives, and what nobody uses any more goes. */
export const BEAT = `${BEGIN}
redis.call('ZADD', machines, string.format('%.0f', now + tonumber(ARGV[2])), me)
redis.call('ZREMRANGEBYSCORE', recent, '-inf', '(' .. exact(now - 86400000))
if redis.call('ZCARD', recent) > 11000 then redis.call('ZREMRANGEBYRANK', recent, 0, -11001) end
for _, key in ipairs(KEYS) do redis.call('PEXPIRE', key, 172800000) end
`;
