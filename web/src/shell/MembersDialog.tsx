import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { endInvitation, invite, letBackIn, linkOf, members, type Role, removeMember, setRole } from "../model/members";
import { set, useApp } from "../model/store";
import { when } from "../model/template";
import { Secret } from "../parts/Secret";
import { Floating } from "./Floating";
import { WholeStudio } from "./WholeStudio";
import { words } from "./words";

const say = words.membersDialog;

const days = 7;

/** MembersDialog says who is in the studio and as what; owners invite people there. */
export function MembersDialog({ close }: { close: () => void }) {
  const me = useApp((s) => s.person)!;
  const client = useQueryClient();
  const { data } = useQuery(members);
  const [link, setLink] = useState<{ secret: string; says: string } | null>(null);
  const owner = data?.members.find((m) => m.id === me.id)?.role === "owner";
  const again = () => client.invalidateQueries({ queryKey: members.queryKey });
  return (
    <Floating title={say.membersOf(me.studio)} open onOpenChange={close} className="w-[760px] overflow-auto">
      <table className="w-full" aria-label={say.members}>
        <thead className="text-left text-[12px] text-soft">
          <tr>
            <th className="py-1 font-normal">{say.name}</th>
            <th className="font-normal">{say.email}</th>
            <th className="font-normal">{say.lastSignedIn}</th>
            <th className="font-normal">{say.role}</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {data?.members.map((m) => (
            <tr key={m.id} className="h-9 border-line border-t" data-member={m.name}>
              <td className="max-w-44 truncate pr-3">
                {m.name} {m.id === me.id && <span className="text-soft">{say.you}</span>}
              </td>
              <td className="max-w-52 truncate pr-3">{m.email}</td>
              <td className="pr-3 text-soft">{m.seenAt ? when(m.seenAt) : "–"}</td>
              <td className="pr-3">
                {owner ? (
                  <select
                    className="field w-28"
                    aria-label={say.roleOf(m.name)}
                    value={m.role}
                    onChange={async (e) => {
                      await setRole(m.id, e.target.value as Role);
                      await again();
                    }}
                  >
                    {data.roles.map((r) => (
                      <option key={r.role}>{r.role}</option>
                    ))}
                  </select>
                ) : (
                  m.role
                )}
              </td>
              <td className="text-right">
                {owner && m.id !== me.id && (
                  <>
                    <button
                      type="button"
                      className="link"
                      onClick={async () => {
                        const x = await letBackIn(m.id);
                        if (x)
                          setLink({
                            secret: x.secret,
                            says: say.canSetANewPassword(m.name),
                          });
                        await again();
                      }}
                    >
                      {say.newPassword}
                    </button>{" "}
                    <button
                      type="button"
                      className="link"
                      aria-label={say.remove(m.name)}
                      onClick={async () => {
                        await removeMember(m.id, m.name);
                        await again();
                      }}
                    >
                      {say.remove2}
                    </button>
                  </>
                )}
              </td>
            </tr>
          ))}
          {data?.invitations.map((i) => (
            <tr key={i.id} className="h-9 border-line border-t text-soft" data-invitation={i.email}>
              <td>{i.again ? say.newPassword : say.invited}</td>
              <td className="max-w-52 truncate pr-3">{i.email}</td>
              <td className="pr-3">{say.until(when(i.ends))}</td>
              <td className="pr-3">{i.role}</td>
              <td className="text-right">
                {owner && (
                  <button
                    type="button"
                    className="link"
                    aria-label={say.endTheLinkFor(i.email)}
                    onClick={async () => {
                      await endInvitation(i.id);
                      await again();
                    }}
                  >
                    {say.end}
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {owner && (
        <Invite
          roles={data?.roles.map((r) => r.role) ?? []}
          done={async (secret, email) => {
            setLink({ secret, says: say.sendThisLink(email, days) });
            await again();
          }}
        />
      )}
      {link && (
        <div className="mt-3" data-part="link">
          <Secret link={linkOf(link.secret)} says={link.says} />
        </div>
      )}
      {owner && (
        <button type="button" className="link mt-3 self-start" onClick={() => set({ dialog: "notes" })}>
          {say.activitySignInsMembersDeliveries}
        </button>
      )}
      {owner && <WholeStudio close={close} />}
      <dl className="mt-4 border-line border-t pt-2 text-[12px] text-soft">
        {data?.roles.map((r, n) => {
          const lower = data.roles[n + 1];
          const more = r.can.slice(lower?.can.length ?? 0).join("; ");
          return (
            <div key={r.role} className="flex gap-2 py-0.5">
              <dt className="w-20 shrink-0 first-letter:uppercase">{r.role}</dt>
              <dd>{lower ? say.canDoWhatTheCan(lower.role, more) : say.can(more)}</dd>
            </div>
          );
        })}
      </dl>
    </Floating>
  );
}

/** Invite asks somebody into the studio. */
function Invite({ roles, done }: { roles: Role[]; done: (secret: string, email: string) => Promise<void> }) {
  const [email, setEmail] = useState("");
  const [role, setRole] = useState<Role>("assistant");
  const send = async (e: FormEvent) => {
    e.preventDefault();
    const x = await invite(email, role, days);
    if (!x) return;
    setEmail("");
    await done(x.secret, email);
  };
  return (
    <form onSubmit={(e) => void send(e)} className="mt-3 flex items-center gap-2 border-line border-t pt-3">
      <input
        type="email"
        required
        className="field flex-1"
        placeholder={say.emailOfSomebodyNew}
        aria-label={say.emailOfSomebodyNew}
        value={email}
        onChange={(e) => setEmail(e.target.value)}
      />
      <select
        className="field w-28"
        aria-label={say.role}
        value={role}
        onChange={(e) => setRole(e.target.value as Role)}
      >
        {roles.map((r) => (
          <option key={r}>{r}</option>
        ))}
      </select>
      <button type="submit" className="button button-main">
        {say.invite}
      </button>
    </form>
  );
}
