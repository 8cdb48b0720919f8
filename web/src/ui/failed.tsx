// Stands where an answer of the program would stand when there is none: why, and a way to ask again.
import { LinkButton } from "./parts";

/** What a query tells of itself. */
interface Asked {
  isError: boolean;
  error: Error | null;
  refetch: () => unknown;
}

/** Nothing while all is well. */
export function Failed({ of, className = "" }: { of: Asked; className?: string }) {
  if (!of.isError) return null;
  return (
    <p role="alert" className={`text-madder first-letter:uppercase ${className}`}>
      {of.error?.message} <LinkButton onClick={() => of.refetch()}>Try again</LinkButton>
    </p>
  );
}
