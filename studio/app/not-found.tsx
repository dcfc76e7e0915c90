import Link from "next/link";

export default function NotFound() {
  return (
    <main className="grid h-full place-items-center">
      <div className="text-center">
        <h1 className="font-semibold text-xl">There is nothing here</h1>
        <p className="mt-2 text-ink-2">The address may be old, or the project was removed.</p>
        <Link href="/" className="mt-4 inline-block rounded-md bg-indigo px-4 py-2 font-semibold text-raised vat:text-ground">
          All projects
        </Link>
      </div>
    </main>
  );
}
