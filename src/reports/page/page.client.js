// @ts-check
// The script of the report page. The page tells everything without it; it filters the cases, and lists each of many runs.
(() => {
  const outcomes = ['error', 'failed', 'blocked', 'passed', 'skipped'];
  /** So many lines of a list are shown at a time. */
  const shownAtOnce = 100;
  const form = /** @type {HTMLFormElement} */ (document.getElementById('filter'));
  const count = /** @type {HTMLOutputElement} */ (form.querySelector('output'));
  const none = /** @type {HTMLElement} */ (document.getElementById('none'));
  /** @typedef {{ round: number[], user: number[], outcome: number[], at: number[], time: number[], status: number[], row: string[] }} Occurrences */
  /** @type {{ [number: string]: Occurrences }} */
  const occurrences = JSON.parse(document.getElementById('occurrences')?.textContent ?? '{}');
  /** @typedef {{ number: string, outcomes: string[], tags: string[], text: string, markup?: string, item?: HTMLElement }} Case */
  const pages = [...document.querySelectorAll('section.page')].map(element => ({
    section: /** @type {HTMLElement} */ (element),
    list: /** @type {HTMLElement} */ (element.querySelector('ol')),
    cases: casesOf(element),
  }));
  const all = pages.reduce((sum, { cases }) => sum + cases.length, 0);
  const more = /** @type {HTMLButtonElement} */ (document.getElementById('more'));
  /** So many cases are laid out at the most; more where they are asked for. */
  let room = 500;

  /** Those that are markup already, or else those that are data. @param {Element} page @returns {Case[]} */
  function casesOf(page) {
    const data = page.querySelector('script');
    /** @type {Case[]} */
    const later = data ? JSON.parse(data.textContent ?? '[]') : [];
    for (const each of later) each.text = each.text.toLowerCase();
    if (data) return later;
    return [...page.querySelectorAll('li.case')].map(each => {
      const item = /** @type {HTMLElement} */ (each);
      const words = [...item.querySelectorAll('summary .name, summary .request, .where')];
      return {
        item,
        number: item.dataset.case ?? '',
        outcomes: (item.dataset.outcomes ?? '').split(' '),
        tags: (item.dataset.tags ?? '').split('\n'),
        text: words
          .map(word => word.textContent)
          .join('\n')
          .toLowerCase(),
      };
    });
  }

  /** Lays a case out among those of its page that are. @param {(typeof pages)[number]} page @param {number} index */
  function layOut({ list, cases }, index) {
    const each = /** @type {Case} */ (cases[index]);
    const template = document.createElement('template');
    template.innerHTML = each.markup ?? '';
    each.item = /** @type {HTMLElement} */ (template.content.firstElementChild);
    const next = cases.slice(index + 1).find(({ item }) => item)?.item ?? null;
    list.insertBefore(each.item, next);
  }

  /** @param {string} name */
  const chosen = name => String(new FormData(form).get(name) ?? '');

  /** @param {string} number @param {string} text */
  const inRows = (number, text) =>
    occurrences[number]?.row.some(row => row.toLowerCase().includes(text)) ?? false;

  function filter() {
    const [outcome, tag, text] = [chosen('outcome'), chosen('tag'), chosen('text').trim().toLowerCase()];
    let shown = 0;
    let left = 0;
    for (const page of pages) {
      const fits = new Set(
        page.cases.filter(
          each =>
            (outcome === '' || each.outcomes.includes(outcome)) &&
            (tag === '' || each.tags.includes(tag)) &&
            (text === '' || each.text.includes(text) || inRows(each.number, text)),
        ),
      );
      const isOver = shown >= room;
      page.section.hidden = fits.size === 0 || isOver;
      shown += fits.size;
      if (isOver) left += fits.size;
      // A page that is not seen at all is left as it is: there may be ten thousand cases.
      if (page.section.hidden) continue;
      for (const [index, each] of page.cases.entries()) {
        if (fits.has(each) && !each.item) layOut(page, index);
        if (each.item && each.item.hidden === fits.has(each)) each.item.hidden = !fits.has(each);
      }
    }
    more.hidden = left === 0;
    more.textContent = `Show more: ${left} of ${shown} cases are not listed yet`;
    none.hidden = shown > 0;
    const noun = all === 1 ? 'case' : 'cases';
    count.textContent = shown === all ? `${all} ${noun}` : `${shown} of ${all} ${noun}`;
    for (const list of document.querySelectorAll('details[open] .occurrences'))
      listOccurrences(/** @type {HTMLElement} */ (list));
  }

  /** @param {string} name @param {string} [text] */
  function make(name, text) {
    const element = document.createElement(name);
    if (text !== undefined) element.textContent = text;
    return element;
  }

  /** @param {number} milliseconds */
  const duration = milliseconds =>
    milliseconds >= 1000 ? `${Number((milliseconds / 1000).toFixed(3))} s` : `${milliseconds} ms`;

  /** Each time that a case ran, as far as it is asked for. @param {HTMLElement} list */
  function listOccurrences(list) {
    const columns = occurrences[list.dataset.case ?? ''];
    if (!columns) return;
    const [outcome, text] = [chosen('outcome'), chosen('text').trim().toLowerCase()];
    const byRow = text !== '' && inRows(list.dataset.case ?? '', text);
    const wanted = [...columns.outcome.keys()].filter(
      index =>
        (outcome === '' || outcomes[columns.outcome[index] ?? 0] === outcome) &&
        (!byRow || (columns.row[index] ?? '').toLowerCase().includes(text)),
    );
    /** @type {[name: string, isThere: boolean, read: (index: number) => string][]} */
    const all = [
      ['outcome', true, index => outcomes[columns.outcome[index] ?? 0] ?? ''],
      ['user', columns.user.some(user => user > 0), index => String(columns.user[index])],
      ['round', columns.round.some(round => round > 1), index => String(columns.round[index])],
      ['row', columns.row.some(row => row !== ''), index => columns.row[index] ?? ''],
      ['status', true, index => String(columns.status[index] || '')],
      ['began at', true, index => ((columns.at[index] ?? -1) < 0 ? '' : duration(columns.at[index] ?? 0))],
      ['took', true, index => duration(columns.time[index] ?? 0)],
    ];
    const told = all.filter(([, isThere]) => isThere);
    const table = make('table');
    const head = table.appendChild(make('thead')).appendChild(make('tr'));
    for (const [name] of told) head.appendChild(make('th', name)).setAttribute('scope', 'col');
    const body = table.appendChild(make('tbody'));
    const more = make('button');
    more.setAttribute('type', 'button');
    let at = 0;
    const show = () => {
      for (const index of wanted.slice(at, at + shownAtOnce)) {
        const row = body.appendChild(make('tr'));
        for (const [name, , read] of told) {
          const cell = row.appendChild(make('td'));
          if (name === 'outcome')
            cell.appendChild(make('span', read(index))).className = `outcome ${read(index)}`;
          else cell.textContent = read(index);
        }
      }
      at += shownAtOnce;
      const left = wanted.length - at;
      more.hidden = left <= 0;
      more.textContent = `Show ${Math.min(left, shownAtOnce)} more of ${left}`;
    };
    more.addEventListener('click', show);
    show();
    list.replaceChildren(table, more);
  }

  // What is marked in a long body is to be seen.
  for (const element of document.querySelectorAll('pre mark')) {
    const mark = /** @type {HTMLElement} */ (element);
    const body = mark.closest('pre');
    if (body && body.scrollTop === 0) body.scrollTop = Math.max(0, mark.offsetTop - body.clientHeight / 2);
  }
  form.hidden = false;
  form.addEventListener('input', () => {
    room = 500;
    filter();
  });
  more.addEventListener('click', () => {
    room += 500;
    filter();
  });
  filter();
  form.addEventListener('submit', event => event.preventDefault());
  // What opens is filled then: a case may have run very often.
  document.addEventListener(
    'toggle',
    event => {
      const details = /** @type {HTMLElement} */ (event.target);
      const list = /** @type {HTMLElement | null} */ (details.querySelector('.occurrences'));
      if (list && details.hasAttribute('open')) listOccurrences(list);
    },
    true,
  );
})();
