// @ts-check
// The script of the report page. The page tells everything without it; it filters the cases, and lists each of many runs.
(() => {
  const outcomes = ['error', 'failed', 'blocked', 'passed', 'skipped'];
  /** So many lines of a list are shown at a time. */
  const shownAtOnce = 100;
  const form = /** @type {HTMLFormElement} */ (document.getElementById('filter'));
  const count = /** @type {HTMLOutputElement} */ (form.querySelector('output'));
  const none = /** @type {HTMLElement} */ (document.getElementById('none'));
  /** @typedef {{ round: number[], user: number[], outcome: number[], at: number[], time: number[], status: number[], row: string[] }} Courses */
  /** @type {{ [number: string]: Courses }} */
  const courses = JSON.parse(document.getElementById('courses')?.textContent ?? '{}');
  const cases = [...document.querySelectorAll('li.case')].map(element => {
    const item = /** @type {HTMLElement} */ (element);
    const number = item.dataset.case ?? '';
    const words = [...item.querySelectorAll('summary .name, summary .request, .where')];
    return {
      item,
      number,
      outcomes: (item.dataset.outcomes ?? '').split(' '),
      tags: (item.dataset.tags ?? '').split('\n'),
      text: words
        .map(each => each.textContent)
        .join('\n')
        .toLowerCase(),
    };
  });
  const pages = [...document.querySelectorAll('section.page')].map(element => ({
    section: /** @type {HTMLElement} */ (element),
    items: [...element.querySelectorAll('li.case')].map(item => /** @type {HTMLElement} */ (item)),
  }));

  /** @param {string} name */
  const chosen = name => String(new FormData(form).get(name) ?? '');

  /** @param {string} number @param {string} text */
  const inRows = (number, text) =>
    courses[number]?.row.some(row => row.toLowerCase().includes(text)) ?? false;

  function filter() {
    const [outcome, tag, text] = [chosen('outcome'), chosen('tag'), chosen('text').trim().toLowerCase()];
    let shown = 0;
    for (const each of cases) {
      const fits =
        (outcome === '' || each.outcomes.includes(outcome)) &&
        (tag === '' || each.tags.includes(tag)) &&
        (text === '' || each.text.includes(text) || inRows(each.number, text));
      each.item.hidden = !fits;
      if (fits) shown++;
    }
    for (const { section, items } of pages) section.hidden = items.every(item => item.hidden);
    none.hidden = shown > 0;
    const all = cases.length;
    const noun = all === 1 ? 'case' : 'cases';
    count.textContent = shown === all ? `${all} ${noun}` : `${shown} of ${all} ${noun}`;
    for (const list of document.querySelectorAll('details[open] .courses'))
      listCourses(/** @type {HTMLElement} */ (list));
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
  function listCourses(list) {
    const columns = courses[list.dataset.case ?? ''];
    if (!columns) return;
    const [outcome, text] = [chosen('outcome'), chosen('text').trim().toLowerCase()];
    const byRow = text !== '' && inRows(list.dataset.case ?? '', text);
    const wanted = [...columns.outcome.keys()].filter(
      index =>
        (outcome === '' || outcomes[columns.outcome[index] ?? 0] === outcome) &&
        (!byRow || (columns.row[index] ?? '').toLowerCase().includes(text)),
    );
    const told = [
      ['outcome', index => outcomes[columns.outcome[index] ?? 0] ?? ''],
      ...(columns.user.some(user => user > 0) ? [['user', index => String(columns.user[index])]] : []),
      ...(columns.round.some(round => round > 1) ? [['round', index => String(columns.round[index])]] : []),
      ...(columns.row.some(row => row !== '') ? [['row', index => columns.row[index] ?? '']] : []),
      ['status', index => (columns.status[index] ? String(columns.status[index]) : '')],
      ['began at', index => ((columns.at[index] ?? -1) < 0 ? '' : duration(columns.at[index] ?? 0))],
      ['took', index => duration(columns.time[index] ?? 0)],
    ];
    const heads = /** @type {[string, (index: number) => string][]} */ (told);
    const table = make('table');
    const head = table.appendChild(make('thead')).appendChild(make('tr'));
    for (const [name] of heads) head.appendChild(make('th', name)).setAttribute('scope', 'col');
    const body = table.appendChild(make('tbody'));
    const more = make('button');
    more.setAttribute('type', 'button');
    let at = 0;
    const show = () => {
      for (const index of wanted.slice(at, at + shownAtOnce)) {
        const row = body.appendChild(make('tr'));
        for (const [name, read] of heads) {
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
  form.addEventListener('input', filter);
  form.addEventListener('submit', event => event.preventDefault());
  // What opens is filled then: a case may have run very often.
  document.addEventListener(
    'toggle',
    event => {
      const details = /** @type {HTMLElement} */ (event.target);
      const list = /** @type {HTMLElement | null} */ (details.querySelector('.courses'));
      if (list && details.hasAttribute('open')) listCourses(list);
    },
    true,
  );
})();
