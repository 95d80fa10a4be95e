// What is used of the queue: a job goes to one worker, which holds a lease of it; where that ends, it goes to another.
export { Queue, Worker as QueueWorker, type Job as QueueJob } from 'bullmq';
export type { Redis } from 'ioredis';
