// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { drawing } from './drawing';

describe('a drawing that came as text', () => {
  it('keeps shapes and texts', () => {
    const made = drawing(
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><g><path d="M0 0L9 9" stroke="#123"/></g><text x="1">T5 &lt;b&gt;</text></svg>',
      'Map of T5',
    );
    expect(made?.getAttribute('aria-label')).toBe('Map of T5');
    expect(made?.querySelector('path')?.getAttribute('stroke')).toBe('#123');
    expect(made?.querySelector('text')?.textContent).toBe('T5 <b>');
  });

  it('is drawn in the page’s own inks', () => {
    const made = drawing(
      '<svg xmlns="http://www.w3.org/2000/svg"><rect fill="#fffefb"/><path d="M0 0" stroke="#123456"/></svg>',
      '',
    );
    expect(made?.querySelector('rect')?.getAttribute('fill')).toBe('var(--sheet)');
    expect(made?.querySelector('path')?.getAttribute('stroke')).toBe('#123456');
  });

  it('leaves out whatever could run or load something', () => {
    const made = drawing(
      '<svg xmlns="http://www.w3.org/2000/svg" onload="x()"><script>x()</script><image href="http://a"/><a href="javascript:x()"><text>t</text></a><path d="M0 0" onclick="x()" style="background:url(http://a)"/></svg>',
      '',
    );
    expect(made?.outerHTML).not.toMatch(/script|onload|onclick|href|style|image/);
    expect(made?.querySelectorAll('*').length).toBe(1);
  });

  it('is nothing where the text is no drawing', () => {
    expect(drawing('{"code":"x"}', '')).toBeNull();
    expect(drawing('<p>no</p>', '')).toBeNull();
  });
});
