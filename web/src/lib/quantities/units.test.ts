import { describe, expect, it } from 'vitest';
import { day } from './dates.svelte';
import { figure, fileSize, lapTime, loggersUnit, signed, unitOf, unitOfQuantity } from './units';

describe('figures in the reader’s units', () => {
  it.each([
    ['speed', 27.7778, '100', '62'],
    ['distance', 304.8, '305', '1000'],
    ['temperature', 373.15, '100', '212'],
    ['pressure', 6.5e6, '65', '943'],
    ['turning', 733.038, '7000', '7000'],
    ['acceleration', 9.80665, '1.00', '1.00'],
    ['share', 0.5, '50', '50'],
  ] as const)('%s', (quantity, value, metric, imperial) => {
    expect(figure(value, unitOf(quantity, 'metric'))).toBe(metric);
    expect(figure(value, unitOf(quantity, 'imperial'))).toBe(imperial);
  });

  it('what is missing is a dash, and a minus is one', () => {
    const unit = unitOf('time', 'metric');
    expect(figure(null, unit)).toBe('–');
    expect(figure(NaN, unit)).toBe('–');
    expect(signed(undefined, unit)).toBe('–');
    expect(figure(-1.5, unit)).toBe('−1.50');
  });

  it('differences carry their sign, and none where nothing is left of them', () => {
    const unit = unitOf('time', 'metric');
    expect(signed(0.12, unit)).toBe('+0.12');
    expect(signed(-0.12, unit)).toBe('−0.12');
    expect(signed(-0.001, unit)).toBe('0.00');
    // A difference of temperatures has no zero point of its own.
    expect(signed(10, unitOf('temperature', 'imperial'))).toBe('+18');
  });

  it('a quantity the browser does not know is shown as it is', () => {
    expect(figure(12.34, unitOfQuantity('luminance', 'metric'), 1)).toBe('12.3');
    expect(figure(3, loggersUnit('kPa'))).toBe('3.0');
  });
});

describe('lap times', () => {
  it.each([
    [83.456, 2, '1:23.46'],
    [59.999, 2, '1:00.00'],
    [59.994, 2, '59.99'],
    [600, 2, '10:00.00'],
    [83.4564, 3, '1:23.456'],
  ] as const)('%f with %i digits', (seconds, digits, said) => {
    expect(lapTime(seconds, digits)).toBe(said);
  });

  it('is a dash where there is none', () => {
    expect(lapTime(null)).toBe('–');
  });
});

it('dates do not move with the reader’s time zone, and what is no date stays as it is', () => {
  expect(day('2026-05-16')).toBe('16 May 2026');
  expect(day('soon')).toBe('soon');
});

it('sizes of files', () => {
  expect(fileSize(12)).toBe('1 kB');
  expect(fileSize(2_340_000)).toBe('2.3 MB');
});
