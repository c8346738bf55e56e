// Finds cases by words, with the keyboard alone if need be. Without it every page still says all that it says.
(() => {
  const form = /** @type {HTMLFormElement | null} */ (document.querySelector('form.search'));
  const input = form?.querySelector('input');
  const list = document.getElementById('site:found');
  const pages = /** @type {[string, string, string, string][] | undefined} */ (
    /** @type {any} */ (window).pagesToFind
  );
  if (!form || !input || !list || !pages) return;
  const root = document.body.dataset.root ?? '';
  const most = 12;
  let chosen = -1;
  form.hidden = false;

  /**
   * Every word has to be there; where it stands in a title it counts for more.
   * @param {string} text
   */
  const find = text => {
    const words = text
      .toLowerCase()
      .split(/\s+/)
      .filter(word => word !== '');
    if (words.length === 0) return [];
    return pages
      .map(([title, page, url, more]) => {
        const [own, all] = [title.toLowerCase(), `${title} ${page} ${more}`.toLowerCase()];
        if (!words.every(word => all.includes(word))) return { score: 0, title, page, url };
        const score = words.reduce(
          (/** @type {number} */ sum, word) => sum + (own.startsWith(word) ? 4 : own.includes(word) ? 3 : 1),
          0,
        );
        return { score, title, page, url };
      })
      .filter(({ score }) => score > 0)
      .sort((a, b) => b.score - a.score)
      .slice(0, most);
  };

  /** @param {number} index of what was found */
  const choose = index => {
    const items = [...list.querySelectorAll('li[role=option]')];
    chosen = items.length === 0 ? -1 : (index + items.length) % items.length;
    for (const [at, item] of items.entries()) item.setAttribute('aria-selected', String(at === chosen));
    const item = items[chosen];
    if (item) {
      input.setAttribute('aria-activedescendant', item.id);
      item.scrollIntoView({ block: 'nearest' });
    } else input.removeAttribute('aria-activedescendant');
  };

  const show = () => {
    const found = find(input.value);
    list.replaceChildren(
      ...found.map(({ title, page, url }, index) => {
        const item = document.createElement('li');
        const link = document.createElement('a');
        item.id = `site:found-${index}`;
        item.setAttribute('role', 'option');
        link.href = root + url;
        link.tabIndex = -1;
        link.textContent = title;
        const where = document.createElement('span');
        where.textContent = page;
        link.append(' ', where);
        item.append(link);
        return item;
      }),
    );
    const isAsked = input.value.trim() !== '';
    if (isAsked && found.length === 0) {
      const none = document.createElement('li');
      none.textContent = 'Nothing is called so.';
      list.append(none);
    }
    list.hidden = !isAsked;
    input.setAttribute('aria-expanded', String(isAsked));
    choose(0);
  };

  const close = () => {
    list.hidden = true;
    input.setAttribute('aria-expanded', 'false');
  };

  input.addEventListener('input', show);
  input.addEventListener('focus', () => input.value !== '' && show());
  input.addEventListener('keydown', event => {
    if (event.key === 'ArrowDown') choose(chosen + 1);
    else if (event.key === 'ArrowUp') choose(chosen - 1);
    else if (event.key === 'Enter' && chosen >= 0) list.children[chosen]?.querySelector('a')?.click();
    else if (event.key === 'Escape') close();
    else return;
    event.preventDefault();
  });
  list.addEventListener('click', close);
  form.addEventListener('submit', event => event.preventDefault());
  form.addEventListener('focusout', (/** @type {FocusEvent} */ event) => {
    if (!form.contains(/** @type {Node | null} */ (event.relatedTarget))) close();
  });
  document.addEventListener('keydown', event => {
    const isTyped = /^(?:INPUT|TEXTAREA|SELECT)$/.test(document.activeElement?.tagName ?? '');
    if (event.key !== '/' || isTyped || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    input.focus();
  });
  // On a narrow screen the pages would stand before the text.
  const contents = document.querySelector('details.contents');
  if (contents && matchMedia('(max-width: 60rem)').matches) contents.removeAttribute('open');
})();
