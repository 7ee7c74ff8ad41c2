import { useEffect, useState } from 'react';
import Markdown from 'react-markdown';
import { Link, NavLink, useParams } from 'react-router';
import remarkGfm from 'remark-gfm';
import { DOC_PAGES, pictureAt } from './pages.ts';

/** The documentation, served by the application itself. */
export function DocsPage() {
  const { page = DOC_PAGES[0]!.name } = useParams();
  const found = DOC_PAGES.find((p) => p.name === page);
  const [shown, setShown] = useState<{ page: string; text: string }>();
  useEffect(() => {
    document.title = `${found?.title ?? 'Documentation'} · Crease`;
    let current = true;
    void found?.load().then((text) => current && setShown({ page, text }));
    return () => {
      current = false;
    };
  }, [found, page]);
  return (
    <div className="flex h-full min-h-0">
      <nav
        aria-label="Pages"
        className="no-print w-[190px] shrink-0 border-r border-rule-strong bg-paper p-4"
      >
        <Link to="/" className="mb-4 flex items-center gap-2 font-serif text-[15px] font-semibold">
          <img src="/mark.svg" width={18} height={18} alt="" />
          Crease
        </Link>
        <ul>
          {DOC_PAGES.map((p) => (
            <li key={p.name}>
              <NavLink
                to={`/docs/${p.name}`}
                className={({ isActive }) =>
                  `block py-[3px] ${isActive ? 'font-semibold' : 'text-soft hover:text-ink'}`
                }
              >
                {p.title}
              </NavLink>
            </li>
          ))}
        </ul>
      </nav>
      <main
        className="min-w-0 flex-1 overflow-auto"
        tabIndex={0}
        aria-label={found?.title ?? 'Documentation'}
      >
        <article className="doc mx-auto max-w-[820px] px-8 py-8">
          {!found ? (
            <p>
              There is no page {page}. <Link to="/docs">All pages</Link>
            </p>
          ) : shown?.page === page ? (
            <Markdown remarkPlugins={[remarkGfm]} components={{ a: PageLink, img: PageImage }}>
              {shown.text}
            </Markdown>
          ) : (
            <p className="text-soft">Opening …</p>
          )}
        </article>
      </main>
    </div>
  );
}

/** Links between pages stay here; those to files of the source lead nowhere and are plain text. */
function PageLink({ href = '', children }: { href?: string; children?: React.ReactNode }) {
  const page = /^(?:docs\/|\.\/)?([\w-]+)\.md(?:#.*)?$/.exec(href)?.[1];
  if (page !== undefined && DOC_PAGES.some((p) => p.name === page))
    return <Link to={`/docs/${page}`}>{children}</Link>;
  return href.startsWith('#') ? <a href={href}>{children}</a> : <>{children}</>;
}

/** A picture that lies beside the pages; its text stands for one that does not. */
function PageImage({ src, alt = '' }: { src?: string | undefined; alt?: string | undefined }) {
  const at = typeof src === 'string' ? pictureAt(src) : undefined;
  return at === undefined ? <em>{alt}</em> : <img src={at} alt={alt} className="max-w-full" />;
}
