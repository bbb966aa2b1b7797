import { Link } from "react-router";
import { EmptyState } from "../ui/empty-state";

export const NotFound = () => (
  <div className="p-4">
    <EmptyState title="There is no such page" text="The address may be from another version of Halvik.">
      <Link to="/now">Go to Now</Link>
    </EmptyState>
  </div>
);
