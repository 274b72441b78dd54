import { describe, expect, it } from 'vitest';
import { readLaps, writeLaps } from '$lib/laps/place';

describe('the address of the laps', () => {
  it('comes back as it was written', () => {
    const query =
      'event=4&driver=2&columns=passages&show=own&against=7-243&only=counting&by=best&windows=5,10';
    expect(writeLaps(readLaps(new URLSearchParams(query)))).toBe(query);
    const car = 'view=car&over=car:3&figures=engine_speed:high,gear:low&table=-gear%3Alow%3Bdriver%3AInes';
    expect(writeLaps(readLaps(new URLSearchParams(car)))).toBe(
      car.replace('%3Bdriver%3AInes', '%3Bdriver%3AInes'),
    );
    const all =
      'view=all&order=quickest&layout=1&who=2&car=3&since=2026-05-01&until=2026-05-16&counting=only';
    expect(writeLaps(readLaps(new URLSearchParams(all)))).toBe(all);
  });

  it('is the usual one where nothing is said, or nonsense', () => {
    expect(writeLaps(readLaps(new URLSearchParams('')))).toBe('');
    const wrong =
      'event=x&driver=-1&columns=colours&show=all2&against=7.3&view=none&windows=a&over=car:&since=today&table=;;';
    expect(writeLaps(readLaps(new URLSearchParams(wrong)))).toBe('');
  });
});
